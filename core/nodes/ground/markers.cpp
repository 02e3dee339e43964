// Markers: layout placeholders from a scene file, as points.
#include "core/base/pattern.h"
#include "core/nodes/ground/placed.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params : PlacedFile {
  std::string names = "*";
  std::string under;
};

/// What each node is called from the root on, told apart where siblings share a name. Numbers, not text: no name that a
/// file may hold can be mistaken for another node's.
std::vector<std::uint64_t> pathsOf(const std::vector<SceneNode>& nodes) {
  std::vector<std::uint64_t> paths(nodes.size());
  std::map<std::pair<std::uint64_t, std::string>, std::uint64_t> used;
  for (std::size_t i = 0; i < nodes.size(); ++i) {
    const std::uint64_t parent = nodes[i].parent < 0 ? 0 : paths[static_cast<std::size_t>(nodes[i].parent)];
    paths[i] = hashOf(parent, hashText(nodes[i].name), used[{parent, nodes[i].name}]++);
  }
  return paths;
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs&, const Params& p) {
  std::vector<Problem> warnings;
  auto file = ctx.files->scene(p.file, ctx.task, warnings);
  if (!file) return Failure(file.error());
  for (const Problem& w : warnings) ctx.warn(w.message, w.advice);
  const std::vector<SceneNode>& nodes = (*file)->nodes;
  if (nodes.empty())
    return fail(ProblemCode::FileUnreadable, "the file has no named nodes",
                "Use glTF or another scene format; OBJ works with named groups", p.file);
  const std::vector<std::uint64_t> paths = pathsOf(nodes);
  std::vector<std::uint8_t> isUnder(nodes.size(), p.under.empty());
  bool hasParent = p.under.empty();
  Array<std::uint32_t> taken;
  const Patterns wanted(p.names);
  std::vector<std::string> under;  // names among which the pattern looks
  for (std::size_t i = 0; i < nodes.size(); ++i) {
    const auto parent = static_cast<std::size_t>(std::max(nodes[i].parent, 0));
    if (nodes[i].parent >= 0 && !p.under.empty()) isUnder[i] = isUnder[parent] || nodes[parent].name == p.under;
    hasParent = hasParent || nodes[i].name == p.under;
    if (isUnder[i]) under.push_back(nodes[i].name);
    if (isUnder[i] && wanted.match(nodes[i].name)) taken.push_back(static_cast<std::uint32_t>(i));
  }
  if (!hasParent)
    return fail(ProblemCode::BadParameter, fmt::format("no node is called \"{}\"", p.under),
                "Use a name from the layout file, or leave the parent empty");
  std::sort(under.begin(), under.end());
  under.erase(std::unique(under.begin(), under.end()), under.end());
  ctx.warnUnmatched(wanted, under, "node");
  const auto isSheared = [&](std::uint32_t k) { return nodes[k].isSheared; };
  if (const auto sheared = std::count_if(taken.begin(), taken.end(), isSheared); sheared > 0)
    ctx.warn(fmt::format("{} markers are sheared in the file, first {}; a point has place, turn and size, no shear",
                         sheared, nodes[*std::find_if(taken.begin(), taken.end(), isSheared)].name),
             "Do not size unevenly above turned nodes in the layout");

  const Quat axes = p.upAxis == UpAxis::Z ? glm::angleAxis(-kPi / 2, Vec3(1, 0, 0)) : Quat(1, 0, 0, 0);
  const Quat turn = turnOf(p);
  Points out;
  out.count = taken.size();
  Array<Vec3> position(out.count);
  Array<Quat> orientation(out.count);
  Array<Vec3> size(out.count);
  Array<Vec3> normal(out.count);
  Array<std::uint64_t> id(out.count);
  Array<std::uint32_t> name(out.count);
  Array<std::uint32_t> parentName(out.count);
  auto names = std::make_shared<std::vector<std::string>>();
  std::map<std::string, std::uint32_t> places;
  const auto placeOf = [&](const std::string& text) {
    const auto [it, isNew] = places.emplace(text, static_cast<std::uint32_t>(names->size()));
    if (isNew) names->push_back(text);
    return it->second;
  };
  for (std::size_t k = 0; k < out.count; ++k) {
    const SceneNode& n = nodes[taken[k]];
    position[k] = turn * (axes * n.position * p.unitScale * p.size) + p.move;
    // A Z-up file's placeholder stands along its own Z: seen from the prop, which stands along Y, the axes change on
    // both sides.
    orientation[k] = glm::normalize(turn * axes * n.turn * glm::conjugate(axes));
    size[k] = p.upAxis == UpAxis::Z ? Vec3(n.size.x, n.size.z, n.size.y) * p.size : n.size * p.size;
    normal[k] = orientation[k] * kUp;
    id[k] = ctx.idOf(paths[taken[k]]);
    name[k] = placeOf(n.name);
    parentName[k] = placeOf(n.parent < 0 ? std::string() : nodes[static_cast<std::size_t>(n.parent)].name);
  }
  out.position = std::move(position);
  out.orientation = std::move(orientation);
  out.size = std::move(size);
  out.groundNormal = std::move(normal);
  out.id = std::move(id);
  out.footprint = Column<float>(p.footprint);
  out.attributes.insert_or_assign("name", TextColumn{names, Column<std::uint32_t>(std::move(name))});
  out.attributes.insert_or_assign("under", TextColumn{names, Column<std::uint32_t>(std::move(parentName))});
  return Outputs{std::make_shared<const Points>(std::move(out))};
}

std::string sentence(const Params& p) {
  std::string text = p.names;
  if (!p.under.empty()) text += fmt::format(" under {}", p.under);
  return fmt::format("{} · {}", text, p.file.empty() ? "no file yet" : p.file.substr(p.file.find_last_of('/') + 1));
}

}  // namespace

const NodeKind& markers() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "markers";
    k.family = Family::Ground;
    k.label = ARVESK_TEXT("node", "Markers");
    k.help = ARVESK_TEXT("node",
                         "Layout placeholders from a scene file as points with place, turn and size, by name pattern "
                         "or all under a named parent; nodes without triangles count too. They carry name and under "
                         "(the parent's name), by which Dress can give props. Read again when the file is saved. A "
                         "placeholder keeps its id while its name and parents stay.");
    k.glyph = "markers";
    k.synonyms = {"layout", "placeholder", "scene", "import", "swap"};
    k.outputs = {pointsOutput()};
    k.params = {
        fileParam<Params>(
            "file", &Params::file, ARVESK_TEXT("node", "File"),
            ARVESK_TEXT("node",
                        "A scene with named nodes: glTF, GLB and others; of OBJ the named groups, at the middle "
                        "of their base."),
            "mesh"),
        param("names", &Params::names, ARVESK_TEXT("node", "Names"),
              ARVESK_TEXT("node", "Names of nodes to take, with * and ? as wildcards, separated by semicolons.")),
        param("under", &Params::under, ARVESK_TEXT("node", "Below node"),
              ARVESK_TEXT("node", "Only nodes below the node of this name; empty takes all.")),
    };
    addPlacedFileParams<Params>(k.params);
    k.example.params = {{"file", std::string("example.glb")}};
    k.trial.params = {{"file", std::string("jetty.glb")}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
