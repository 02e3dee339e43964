// Clearance: removes overlaps, with a say in who stays.
#include "core/spatial/clearance.h"

#include "core/base/sorting.h"
#include "core/nodes/footprint_param.h"
#include "core/nodes/mask/references.h"
#include "core/nodes/registry.h"
#include "core/nodes/thin/exposed.h"
#include "core/spatial/rooms.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class DistanceBy { Footprints, Spacing };
enum class Stays { Larger, Smaller, Chance, Mask, Earlier };
/// Nearly all chains of random ranks end within so many conflict distances.
constexpr double kChain = 6;
struct Params {
  DistanceBy by = DistanceBy::Footprints;
  Footprint room = Footprint::Spread;
  RoomShape shape = RoomShape::Disc;
  float factor = 1;
  float gap = 0;
  float spacing = 1;
  bool isFromAbove = false;
  Stays stays = Stays::Larger;
};

/// Larger counts first.
Array<float> prioritiesOf(const EvalContext& ctx, const Inputs& in, const Points& points, const Params& p) {
  Array<float> priority(points.count);
  const Draw chance = ctx.draw("stays");
  if (p.stays == Stays::Mask) return maskValues(ctx.task, *in.mask("priority"), points);
  for (std::size_t i = 0; i < points.count; ++i) {
    switch (p.stays) {
      case Stays::Larger: priority[i] = points.effectiveFootprint(i); break;
      case Stays::Smaller: priority[i] = -points.effectiveFootprint(i); break;
      case Stays::Chance: priority[i] = chance.unit(points.id[i]); break;
      case Stays::Earlier:
      case Stays::Mask: priority[i] = 0; break;
    }
  }
  return priority;
}

Array<std::uint32_t> orderOf(const Points& points, const Array<float>& priority, bool isByOrder) {
  struct Ranked {
    float priority;
    std::uint64_t tie;
    std::uint32_t index;
  };
  Array<Ranked> ranked(points.count);
  for (std::size_t i = 0; i < points.count; ++i)
    ranked[i] = {priority[i], isByOrder ? i : points.id[i], static_cast<std::uint32_t>(i)};
  sortLarge(ranked, [](const Ranked& a, const Ranked& b) {
    return a.priority != b.priority ? a.priority > b.priority : a.tie < b.tie;
  });
  Array<std::uint32_t> order(points.count);
  for (std::size_t i = 0; i < points.count; ++i) order[i] = ranked[i].index;
  return order;
}

/// What is judged, and what it is judged against.
struct Judged {
  Points points;  // those that the filter sees, with footprints of the kind that is meant
  std::vector<PointsPtr> against;
  std::shared_ptr<Rooms> rooms;  // of the points, then of those of Against; null where discs say all
  Array<PointGrid::Entry> entries;
  KeptPoints kept;

  Judged(Points seen, std::vector<PointsPtr> others, const Params& p)
      : points(std::move(seen)), against(std::move(others)), kept(ruleOf(p, nullptr)) {
    if (p.by == DistanceBy::Footprints && p.shape != RoomShape::Disc) {
      rooms = std::make_shared<Rooms>(RoomRule{p.shape, p.room, p.isFromAbove, p.factor, p.gap});
      rooms->add(points);
      for (const PointsPtr& set : against) rooms->add(*set);
    }
    kept = KeptPoints(rule(p));
    std::uint32_t next = 0;
    const auto entriesOf = [&](const Points& of) {
      Array<PointGrid::Entry> out(of.count);
      for (std::size_t i = 0; i < of.count; ++i, ++next)
        out[i] = rooms ? rooms->ball(next) : PointGrid::Entry{of.position[i], of.effectiveFootprint(i), next};
      return out;
    };
    entries = entriesOf(points);
    for (const PointsPtr& set : against) kept.add(entriesOf(*set));
  }
  ConflictRule rule(const Params& p) const { return ruleOf(p, rooms.get()); }

 private:
  static ConflictRule ruleOf(const Params& p, const Rooms* rooms) {
    if (rooms) return {1, 0, {}, p.isFromAbove, rooms};  // factor and gap are in the rooms
    ConflictRule rule{p.factor, p.gap, {}, p.isFromAbove};
    if (p.by == DistanceBy::Spacing) rule.fixedSpacing = p.spacing;
    return rule;
  }
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  if (p.stays == Stays::Mask && !in.mask("priority"))
    return fail(ProblemCode::MissingInput, "who stays is to follow a mask, but none is connected",
                "Connect a mask to Priority");
  const PointsPtr all = withFootprints(in.points(), p.room);
  const Array<std::uint8_t> exposed = exposedBy(ctx, in.mask("where"), points);
  // Points that are not exposed pass and do not crowd out others: the filter sees only the exposed ones.
  Array<std::uint32_t> seen;
  Array<std::uint32_t> place(points.count);
  for (std::size_t i = 0; i < points.count; ++i) {
    place[i] = static_cast<std::uint32_t>(seen.size());
    if (exposed[i]) seen.push_back(static_cast<std::uint32_t>(i));
  }
  Array<std::uint32_t> order;
  order.reserve(seen.size());
  for (const std::uint32_t i : orderOf(points, prioritiesOf(ctx, in, *all, p), p.stays == Stays::Earlier))
    if (exposed[i]) order.push_back(place[i]);
  const Judged judged(seen.size() == points.count ? *all : gathered(*all, seen), referredPoints(in, "against", p.room),
                      p);
  // Of a part: who stands so near to what is not known that somebody there could be in its way?
  const float largest = in.mostAt("points").with(in.mostAt("against")).effective();
  const auto needs = [&](float footprint) {
    return p.by == DistanceBy::Spacing ? p.spacing : std::max(0.0F, p.factor * (footprint + largest) + p.gap);
  };
  Array<std::uint8_t> unsure;
  if (!ctx.known.isAll())
    for (std::size_t k = 0; k < seen.size(); ++k)
      unsure.push_back(
          ctx.known.isNearRim(points.position[seen[k]], needs(all->effectiveFootprint(seen[k])) * 1.001F + 0.01F));
  const Array<std::uint8_t> seenKeeps = keepByPriority(ctx.task, judged.entries, order, judged.kept, judged.rule(p),
                                                       unsure);
  for (std::size_t k = 0; k < seenKeeps.size(); ++k)
    if (seenKeeps[k] == kOpen && ctx.wanted.holds(points.position[seen[k]])) {
      ctx.askWider(std::max(0.1, 3 * static_cast<double>(needs(largest))));
      break;
    }
  Array<std::uint8_t> keeps;
  keeps.assign(points.count, 1);
  for (std::size_t k = 0; k < seen.size(); ++k) keeps[seen[k]] = seenKeeps[k];
  Array<float> footprints(points.count);
  for (std::size_t i = 0; i < points.count; ++i) footprints[i] = all->effectiveFootprint(i);
  ctx.measured(makeHistogram("footprint", " m", 0, 0, footprints, keeps));
  return keptAndLeft(ctx, points, keeps);
}

/// The conflicts of a left out point: with the staying point that comes closest to its room, of those joined and of the
/// points themselves.
std::vector<std::string> explain(const EvalContext& ctx, const Inputs& in, const Params& p, const Points& points) {
  const auto outputs = evaluate(ctx, in, p);  // who stays; the answer is as cheap as the question was
  std::vector<std::string> out(points.count, "not in conflict");
  if (!outputs) return out;
  std::vector<PointsPtr> staying{withFootprints(std::get<PointsPtr>(outputs->front()), p.room)};
  for (const PointsPtr& set : referredPoints(in, "against", p.room)) staying.push_back(set);
  const Judged judged(*withFootprints(std::make_shared<const Points>(points), p.room), staying, p);
  const ConflictRule rule = judged.rule(p);
  for (std::size_t i = 0; i < points.count; ++i) {
    float worst = 0;
    auto room = static_cast<std::uint32_t>(points.count);
    for (std::size_t s = 0; s < staying.size(); ++s)
      for (std::size_t k = 0; k < staying[s]->count; ++k, ++room) {
        const Points& other = *staying[s];
        if (s == 0 && other.id[k] == points.id[i]) continue;
        const PointGrid::Entry& own = judged.entries[i];
        const PointGrid::Entry that = judged.rooms
                                          ? judged.rooms->ball(room)
                                          : PointGrid::Entry{other.position[k], other.effectiveFootprint(k), 0};
        if (!rule.conflicts(own.position, own.radius, that.position, that.radius)) continue;
        if (judged.rooms && !judged.rooms->meet(own.index, room)) continue;
        Vec3 d = points.position[i] - other.position[k];
        if (p.isFromAbove) d.y = 0;
        const float needed = rule.distance(own.radius, that.radius);
        if (needed - glm::length(d) <= worst) continue;
        worst = needed - glm::length(d);
        const char* who = s == 0 ? "one that stays" : "one of Against";
        out[i] = judged.rooms ? fmt::format("{:.2f} m from {}, and their rooms meet", glm::length(d), who)
                              : fmt::format("{:.2f} m from {}, needs {:.2f} m", glm::length(d), who, needed);
      }
  }
  return out;
}

std::string sentence(const Params& p) {
  constexpr std::array who{"larger stay", "smaller stay", "at random", "by priority", "earlier stay"};
  const bool isBase = p.room == Footprint::Base;
  constexpr std::array rooms{"footprints", "ellipses", "boxes", "meshes"};
  constexpr std::array bases{"bases", "bases' ellipses", "bases' boxes", "bases' meshes"};
  const std::string what = (isBase ? bases : rooms)[static_cast<std::size_t>(p.shape)];
  const std::string distance = p.by == DistanceBy::Spacing ? fmt::format("{:g} m apart", p.spacing)
                               : p.gap == 0                ? what
                                                           : fmt::format("{}, gap {:+g} m", what, p.gap);
  return fmt::format("Clearance · {} · {}", distance, who[static_cast<std::size_t>(p.stays)]);
}

}  // namespace

const NodeKind& clearance() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "clearance";
    k.family = Family::Thin;
    k.label = ARVESK_TEXT("node", "Clearance");
    k.help = ARVESK_TEXT(
        "node",
        "Removes overlaps. Two points conflict when they are closer than factor × (footprint + "
        "footprint) + gap, or than a fixed spacing; touching is allowed. Distances are those in "
        "space, so it works inside of volumes and on what hangs as it does on ground. Going by priority, a point "
        "stays if no staying point of higher priority conflicts with it; ties go by id. "
        "Shapes other than discs conflict when they meet: each is sized by the factor about its own middle and grows "
        "by "
        "half of the gap to all sides. "
        "Points at Against always stay and count with the same factor and gap. Chains of conflicts "
        "have no strict bound, so an edit may show farther away than one spacing.");
    k.glyph = "clearance";
    k.synonyms = {"overlap", "collision", "spacing", "remove", "room"};
    k.inputs = {
        pointsInput(),
        {"against", ValueType::Points, ARVESK_TEXT("node", "Against"),
         ARVESK_TEXT("node", "Points that always stay and whose room is kept."), true, true},
        {"priority", ValueType::Mask, ARVESK_TEXT("node", "Priority"),
         ARVESK_TEXT("node", "Higher values stay, when who stays goes by mask."), true, false},
        whereInput(ARVESK_TEXT("node", "The share of points that are exposed; the others pass and take no room."))};
    k.outputs = {pointsOutput(), leftOutOutput()};
    carriesNowhere(k);
    k.params = {
        param("by", &Params::by, ARVESK_TEXT("node", "Distance by"),
              ARVESK_TEXT("node", "The points' footprints, or one spacing for all."),
              {{"footprints", ARVESK_TEXT("node", "Footprints")}, {"spacing", ARVESK_TEXT("node", "Fixed spacing")}}),
        footprintIs("footprint_is", &Params::room).shown("by", {"footprints"}),
        roomShapeIs(kRoomShape, &Params::shape).shown("by", {"footprints"}),
        param("factor", &Params::factor, ARVESK_TEXT("node", "Factor"),
              ARVESK_TEXT("node", "Below 1 lets footprints overlap a little."))
            .hard(0, 100)
            .usual(0, 2, 0.05)
            .shown("by", {"footprints"}),
        param("gap", &Params::gap, ARVESK_TEXT("node", "Gap"),
              ARVESK_TEXT("node", "Room between footprints; below 0 lets them overlap."))
            .in(Unit::Meter)
            .hard(-1e3, 1e3)
            .usual(-1, 5, 0.05)
            .shown("by", {"footprints"}),
        param("spacing", &Params::spacing, ARVESK_TEXT("node", "Spacing"),
              ARVESK_TEXT("node", "Least distance between points."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0, 10, 0.05)
            .shown("by", {"spacing"}),
        param("stays", &Params::stays, ARVESK_TEXT("node", "Who stays"),
              ARVESK_TEXT("node", "Which of two points in conflict."),
              {{"larger", ARVESK_TEXT("node", "The larger")},
               {"smaller", ARVESK_TEXT("node", "The smaller")},
               {"chance", ARVESK_TEXT("node", "At random")},
               {"mask", ARVESK_TEXT("node", "By priority mask")},
               {"earlier", ARVESK_TEXT("node", "Earlier in order")}}),
        param("from_above", &Params::isFromAbove, ARVESK_TEXT("node", "From above"),
              ARVESK_TEXT("node", "Distances as seen from above; else in three dimensions.")),
    };
    k.usesSeed = true;
    k.showsFootprints = true;
    k.example.params = {{"by", std::string("spacing")}, {"spacing", 1.2}};
    k.trial.params = {{"stays", std::string("chance")}};
    k.trial.leaves = {"against"};
    reaches<Params>(k, [](const Params& p) {
      // Chains: nearly all decisions stay within 5.6 conflict distances ("larger stays", measured).
      if (p.by == DistanceBy::Spacing) return Reach::among(5.6 * static_cast<double>(p.spacing), 0, false);
      return Reach::among(5.6 * static_cast<double>(std::max(p.gap, 0.0F)), 2 * 5.6 * static_cast<double>(p.factor),
                          false);
    });
    k.beginsWith = [specs = k.params](const ParamMap& values) -> std::optional<double> {
      const Params p = readParams<Params>(specs, values);
      if (p.by == DistanceBy::Spacing) return kChain * static_cast<double>(p.spacing);
      if (p.shape != RoomShape::Disc) return {};  // bodies reach beyond their footprints
      return kChain * static_cast<double>(std::max(p.gap, 0.0F));
    };
    k.exemptions.nestsInAmount = false;
    k.exemptions.isLocal = false;
    k.judgesFootprints = [specs = k.params](const ParamMap& values) {
      return readParams<Params>(specs, values).by == DistanceBy::Footprints;
    };
    k = define<Params>(std::move(k), &evaluate, &sentence);
    explains<Params>(k, &explain);
    return k;
  }();
  return kind;
}

}  // namespace arvesk::nodes
