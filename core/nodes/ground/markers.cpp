// Markers: layout placeholders from a scene file, as points.
#include "core/base/pattern.h"
#include "core/nodes/ground/placed.h"
#include "core/nodes/ground/played.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

#include <set>

namespace arvesk::nodes {
namespace {

struct Params : PlacedFile, Played {
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

/// Which lie below a node of one of these names, however deep; all of them where no name is given.
std::vector<std::uint8_t> nodesUnder(const std::vector<SceneNode>& nodes, const std::string& names) {
  std::vector<std::uint8_t> out(nodes.size(), names.empty());
  const Patterns parents(names);
  for (std::size_t i = 0; i < nodes.size() && !names.empty(); ++i)
    if (nodes[i].parent >= 0) {
      const auto parent = static_cast<std::size_t>(nodes[i].parent);
      out[i] = out[parent] || parents.match(nodes[parent].name);
    }
  return out;
}

/// What the file says of the markers besides, as attributes: numbers where each that says it says a number (0 where one
/// says nothing), else texts.
void takeValues(const EvalContext& ctx, Points& out, const std::vector<SceneNode>& nodes,
                const Array<std::uint32_t>& taken) {
  constexpr std::size_t kMost = 64;
  std::map<std::string, bool> areNumbers;
  for (const std::uint32_t k : taken)
    for (const auto& [name, value] : nodes[k].values) {
      const auto [it, isNew] = areNumbers.emplace(name, true);
      it->second = it->second && std::holds_alternative<double>(value);
    }
  if (areNumbers.size() > kMost)
    ctx.warn(fmt::format("the markers say {} things besides their place; the first {} by name are taken",
                         areNumbers.size(), kMost),
             "Leave out of the layout what is not needed");
  std::size_t count = 0;
  for (const auto& [name, isNumber] : areNumbers) {
    if (++count > kMost) break;
    // What every marker carries is called so already.
    const std::string as = out.attributes.contains(name) ? name + "-in-file" : name;
    if (isNumber) {
      Array<float> values(taken.size());
      for (std::size_t k = 0; k < taken.size(); ++k) {
        const auto& said = nodes[taken[k]].values;
        const auto it = said.find(name);
        values[k] = it == said.end() ? 0.0F : static_cast<float>(std::get<double>(it->second));
        if (!std::isfinite(values[k])) values[k] = 0;
      }
      out.attributes.insert_or_assign(as, Column<float>(std::move(values)));
      continue;
    }
    auto texts = std::make_shared<std::vector<std::string>>();
    std::map<std::string, std::uint32_t> places;
    Array<std::uint32_t> index(taken.size());
    for (std::size_t k = 0; k < taken.size(); ++k) {
      const auto& said = nodes[taken[k]].values;
      const auto it = said.find(name);
      const auto* number = it == said.end() ? nullptr : std::get_if<double>(&it->second);
      const std::string text = it == said.end() ? std::string()
                               : number         ? fmt::format("{}", *number)
                                                : std::get<std::string>(it->second);
      const auto [place, isNew] = places.emplace(text, static_cast<std::uint32_t>(texts->size()));
      if (isNew) texts->push_back(text);
      index[k] = place->second;
    }
    out.attributes.insert_or_assign(as, TextColumn{texts, Column<std::uint32_t>(std::move(index))});
  }
}

/// Of the file: names of nodes, and of those that others lie below, each with how many.
std::vector<NameCount> namesInFile(const std::string& param, const EvalContext& ctx, const Inputs&,
                                   const ParamMap& values) {
  const auto textOf = [&](const char* id) {
    const auto it = values.find(id);
    const auto* text = it == values.end() ? nullptr : std::get_if<std::string>(&it->second);
    return text ? *text : std::string();
  };
  std::vector<Problem> warnings;
  const auto file = ctx.files->scene(textOf("file"), ctx.task, warnings);
  if (file && param == "clips") return motionNames(**file);
  if (!file || (param != "names" && param != "under")) return {};
  const std::vector<SceneNode>& nodes = (*file)->nodes;
  std::map<std::string, std::size_t> counts;
  if (param == "names") {
    const std::vector<std::uint8_t> isUnder = nodesUnder(nodes, textOf("under"));
    for (std::size_t i = 0; i < nodes.size(); ++i)
      if (isUnder[i]) ++counts[nodes[i].name];
  } else {
    // Each counts for the nearest parent above it and for all above that.
    for (const SceneNode& n : nodes) {
      std::set<std::string> above;
      for (std::int32_t at = n.parent; at >= 0; at = nodes[static_cast<std::size_t>(at)].parent)
        above.insert(nodes[static_cast<std::size_t>(at)].name);
      for (const std::string& name : above) ++counts[name];
    }
  }
  std::vector<NameCount> out;
  for (const auto& [name, count] : counts)
    if (!name.empty()) out.push_back({name, count});
  return out;
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs&, const Params& p) {
  std::vector<Problem> warnings;
  auto file = ctx.files->scene(p.file, ctx.task, warnings);
  if (!file) return Failure(file.error());
  for (const Problem& w : warnings) ctx.warn(w.message, w.advice);
  const auto now = played(ctx, *file, p);
  if (!now) return Failure(now.error());
  const std::vector<SceneNode>& nodes = (*now)->nodes;
  if (nodes.empty())
    return fail(ProblemCode::FileUnreadable, "the file has no named nodes",
                "Use glTF or another scene format; OBJ works with named groups", p.file);
  const std::vector<std::uint64_t> paths = pathsOf(nodes);
  const std::vector<std::uint8_t> isUnder = nodesUnder(nodes, p.under);
  Array<std::uint32_t> taken;
  const Patterns wanted(p.names);
  std::set<std::string> under;  // names among which the pattern looks
  std::set<std::string> all;
  for (std::size_t i = 0; i < nodes.size(); ++i) {
    all.insert(nodes[i].name);
    if (!isUnder[i]) continue;
    under.insert(nodes[i].name);
    if (wanted.match(nodes[i].name)) taken.push_back(static_cast<std::uint32_t>(i));
  }
  if (const Patterns parents(p.under); !p.under.empty()) {
    const std::vector<std::string> names(all.begin(), all.end());
    if (std::none_of(names.begin(), names.end(), [&](const std::string& name) { return parents.match(name); }))
      return fail(ProblemCode::BadParameter, fmt::format("no node is called \"{}\"", p.under),
                  "Use a name from the layout file, or leave the parent empty");
    ctx.warnUnmatched(parents, names, "node");
  }
  ctx.warnUnmatched(wanted, {under.begin(), under.end()}, "node");
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
  takeValues(ctx, out, nodes, taken);
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
    k.help = ARVESK_TEXT(
        "node",
        "Layout placeholders from a scene file as points with place, turn and size, by name pattern "
        "or all under a named parent; nodes without triangles count too. They carry name and under "
        "(the parent's name), by which Dress can give props, and as attributes whatever numbers and "
        "texts the file gives its nodes besides (extras in glTF). Read again when the file is saved. A "
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
              ARVESK_TEXT("node",
                          "Only nodes below a node of one of these names, however deep, each once; with * and ? as "
                          "wildcards, separated by semicolons. Empty takes all.")),
    };
    addPlayedParams<Params>(k.params);
    k.usesTime = &playsInTime;
    addPlacedFileParams<Params>(k.params);
    k.version = 2;
    k.upgrade = [](SavedNode& saved) {  // version 1 took one name, as it stands
      if (const auto under = saved.params.find("under"); under != saved.params.end())
        if (auto* name = std::get_if<std::string>(&under->second)) *name = asTyped(*name);
    };
    k.names = &namesInFile;
    k.example.params = {{"file", std::string("example.glb")}};
    k.trial.params = {{"file", std::string("jetty.glb")}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
