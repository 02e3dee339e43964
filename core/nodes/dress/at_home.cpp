// At home: one point per prop of a kit, where it lies in its file or body, dressed with it.
#include "core/geometry/prop.h"
#include "core/nodes/registry.h"
#include "core/nodes/scatter/children.h"
#include "core/props/pieces.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params {
  Vec3 move{0};
  std::string whole;  // that all of them are pieces of; empty: they are what they are
  float joint = 0.005F;
};

/// What stands there, array by array.
struct Standing {
  Array<Vec3> position;
  Array<Quat> orientation;
  Array<Vec3> size;
  Array<float> footprint;
  Array<std::uint64_t> id;
  Array<std::int32_t> prop;

  void add(const Kit& kit, std::size_t entry, const Home& home, std::uint64_t pointId) {
    position.push_back(home.position);
    orientation.push_back(home.turn);
    size.push_back(home.size);
    footprint.push_back(kit.entries[entry].prop->footprint);
    id.push_back(pointId);
    prop.push_back(static_cast<std::int32_t>(entry));
  }
  Points points(const KitPtr& kit) {
    Points out;
    out.count = id.size();
    out.position = std::move(position);
    out.orientation = std::move(orientation);
    out.size = std::move(size);
    out.footprint = std::move(footprint);
    out.id = std::move(id);
    out.kit = kit;
    out.prop = std::move(prop);
    return out;
  }
};

TextColumn textOf(const std::vector<std::string>& texts) {
  std::map<std::string, std::uint32_t> known;
  std::vector<std::string> names;
  Array<std::uint32_t> index;
  for (const std::string& text : texts) {
    const auto [at, isNew] = known.emplace(text, static_cast<std::uint32_t>(names.size()));
    if (isNew) names.push_back(text);
    index.push_back(at->second);
  }
  return {std::make_shared<const std::vector<std::string>>(std::move(names)), Column<std::uint32_t>(std::move(index))};
}

/// What pieces say of themselves: where they belong, whose they are, how large, and how they meet their neighbors.
void describePieces(Points& out) {
  Array<Vec3> home;
  std::vector<std::string> owner;
  Array<float> volume;
  Array<float> neighbors;
  Array<float> shared;
  bool areAny = false;
  for (std::size_t i = 0; i < out.count; ++i) {
    const PieceOf* piece = out.kit->entries[static_cast<std::size_t>(out.prop[i])].prop->piece.get();
    areAny |= piece != nullptr;
    home.push_back(out.position[i]);
    owner.push_back(piece ? piece->ownerName : std::string());
    const Vec3 size = glm::abs(out.size[i]);
    volume.push_back(piece ? piece->volume * size.x * size.y * size.z : 0);
    neighbors.push_back(piece ? static_cast<float>(piece->contacts.size()) : 0);
    float sum = 0;
    if (piece)
      for (const PieceOf::Contact& c : piece->contacts) sum += c.area;
    shared.push_back(sum * std::pow(size.x * size.y * size.z, 2.0F / 3));
  }
  if (!areAny) return;
  out.attributes.insert_or_assign("home", Column<Vec3>(std::move(home)));
  out.attributes.insert_or_assign("owner", textOf(owner));
  out.attributes.insert_or_assign("volume", Column<float>(std::move(volume)));
  out.attributes.insert_or_assign("neighbors", Column<float>(std::move(neighbors)));
  out.attributes.insert_or_assign("shared-area", Column<float>(std::move(shared)));
}

/// Of each broken prop its pieces, by variant: places in the kit.
using PiecesOf = std::map<std::string, std::map<int, std::vector<std::size_t>>>;

/// In place of each placement that is broken its pieces; where none are of it, it stays as it is.
Result<Outputs> onPlacements(const EvalContext& ctx, const Points& wholes, const KitPtr& kit, const PiecesOf& pieces,
                             const Params& p) {
  const Draw draw = ctx.draw("variant");
  std::map<std::string, std::size_t> most;  // pieces that one of them gives
  for (const auto& [uid, variants] : pieces)
    for (const auto& [variant, of] : variants) most[uid] = std::max(most[uid], of.size());
  double estimate = 0;
  for (std::size_t i = 0; i < wholes.count; ++i)
    if (const auto found = most.find(propUidOf(wholes, i)); found != most.end())
      estimate += static_cast<double>(found->second);
  if (auto ok = guardPoints(ctx, estimate, "Break fewer of them, or into fewer pieces"); !ok)
    return Failure(ok.error());
  Standing made;
  Array<std::uint32_t> parent;
  Array<std::uint8_t> keeps;
  for (std::size_t i = 0; i < wholes.count; ++i) {
    endIfStoppedAt(i);
    const auto found = pieces.find(propUidOf(wholes, i));
    if ((i & 1023U) == 0 && ctx.task.isCancelled()) return Failure(cancelled());
    keeps.push_back(found == pieces.end() ? 1 : 0);
    if (found == pieces.end()) continue;
    const auto count = found->second.size();
    const auto drawn = static_cast<std::size_t>(draw.unit(wholes.id[i]) * static_cast<float>(count));
    for (const std::size_t k :
         std::next(found->second.begin(), static_cast<std::ptrdiff_t>(std::min(drawn, count - 1)))->second) {
      const Prop& its = *kit->entries[k].prop;
      made.add(*kit, k,
               {wholes.position[i] + wholes.orientation[i] * (wholes.size[i] * its.piece->pivot) + p.move,
                wholes.orientation[i], wholes.size[i]},
               ctx.idOf(hashOf(wholes.id[i], hashText(its.uid))));
      parent.push_back(static_cast<std::uint32_t>(i));
    }
  }
  std::size_t mirrored = 0;
  for (std::size_t i = 0; i < wholes.count; ++i)
    mirrored += keeps[i] == 0 && wholes.size[i].x * wholes.size[i].y * wholes.size[i].z < 0 ? 1 : 0;
  if (mirrored > 0) ctx.say(fmt::format("{} of {} broken placements are mirrored", mirrored, wholes.count));
  Points out = made.points(kit);
  // Pieces come and go with what they were broken off.
  Array<float> level(out.count);
  for (std::size_t c = 0; c < out.count; ++c) level[c] = wholes.levelOf(parent[c]);
  out.draftLevel = std::move(level);
  inherit(out, wholes, parent);
  describePieces(out);
  const auto whole = split(wholes, keeps).first;
  if (whole->count > 0)
    ctx.warn(fmt::format("{} of {} placements have no pieces in this kit: they come out at Still whole", whole->count,
                         wholes.count),
             "Break up the kit that they were dressed with");
  return Outputs{std::make_shared<const Points>(std::move(out)), whole};
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const KitPtr kit = in.kit();
  Standing made;
  PiecesOf pieces;
  std::size_t missing = 0;
  for (std::size_t k = 0; k < kit->entries.size(); ++k) {
    const Prop& its = *kit->entries[k].prop;
    missing += its.isMissing;
    if (its.isMissing) continue;  // nobody knows where it lies
    if (its.piece) pieces[its.piece->owner][its.piece->variant].push_back(k);
    if (its.piece && its.piece->variant > 0) continue;  // another one stands there
    Home home = its.home;
    home.position += p.move;
    made.add(*kit, k, home, ctx.idOf(hashText(its.uid)));
  }
  if (missing > 0)
    ctx.warn(fmt::format("{} props could not be read, so nothing says where they lie", missing),
             "See the Kit for what is wrong with them");
  if (!p.whole.empty() && in.points("on"))
    ctx.warn("what stands in place of placements is theirs: the name at Pieces of counts for nothing",
             "Take it away, or disconnect In place of");
  if (const PointsPtr wholes = in.points("on")) return onPlacements(ctx, *wholes, kit, pieces, p);
  Points out = made.points(p.whole.empty() ? kit
                                           : asPiecesOf(*kit, fmt::format("{:016x}", ctx.nodeUid), p.whole,
                                                        static_cast<double>(p.joint), ctx.task));
  describePieces(out);
  return Outputs{std::make_shared<const Points>(std::move(out)), std::make_shared<const Points>()};
}

std::string sentence(const Params&) { return "where they belong"; }

}  // namespace

const NodeKind& atHome() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "at-home";
    k.family = Family::Dress;
    k.label = ARVESK_TEXT("node", "At home");
    k.help = ARVESK_TEXT(
        "node",
        "One point per prop of the kit, where it lies in its own file, dressed with it: a file that "
        "the Kit split into props stands there as its maker laid it out, each piece to be moved, left "
        "out or swapped; pieces of Break up lie where they were broken off. Props that are files of their own "
        "lie where their pivots are. With placements of what was broken, each of these is replaced by pieces of its "
        "own, in one of the variants at random. Pieces carry home, owner, volume in m³, the number of neighbors, and "
        "the area in m² that they share with these.");
    k.glyph = "at-home";
    k.synonyms = {"layout", "assembled", "origin", "pieces", "split", "parts"};
    k.inputs = {{"kit", ValueType::Kit, ARVESK_TEXT("node", "Kit"),
                 ARVESK_TEXT("node", "The props that are set where they lie."), false, false},
                {"on",
                 ValueType::Points,
                 ARVESK_TEXT("node", "In place of"),
                 ARVESK_TEXT("node", "Placements of what was broken: each is replaced by its pieces."),
                 true,
                 false,
                 {},
                 true,
                 true}};
    k.outputs = {pointsOutput(), {"whole", ValueType::Points, ARVESK_TEXT("node", "Still whole")}};
    k.usesSeed = true;
    k.params = {
        param("move", &Params::move, ARVESK_TEXT("node", "Move"),
              ARVESK_TEXT("node", "All of them, from where they lie."))
            .in(Unit::Meter)
            .hard(-1e5, 1e5)
            .usual(-50, 50, 0.1),
        param("whole", &Params::whole, ARVESK_TEXT("node", "Pieces of"),
              ARVESK_TEXT("node",
                          "A name makes all of them pieces of one whole, such as the parts of a file that was "
                          "broken elsewhere: they are counted, picked and pulled apart as such. Empty: each is "
                          "what it is.")),
        param("joint", &Params::joint, ARVESK_TEXT("node", "Joint"),
              ARVESK_TEXT("node", "How far apart faces of such pieces may be that count as lying against each other."))
            .in(Unit::Meter)
            .hard(0, 10)
            .usual(0, 0.1, 0.001)};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
