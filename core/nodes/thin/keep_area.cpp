#include "core/nodes/thin/keep_area.h"

#include "core/base/pattern.h"
#include "core/nodes/footprint_param.h"
#include "core/nodes/mask/references.h"
#include "core/nodes/thin/exposed.h"
#include "core/nodes/thin/patches.h"

#include <fmt/format.h>

#include <set>

namespace arvesk::nodes {
namespace {

struct Params {
  OutlineShape shape = OutlineShape::Disc;
  float raggedness = 0;
  float toothSize = 0.5F;
  float margin = 0;
  Footprint room = Footprint::Spread;
  bool isFromAbove = true;
  float limit = 0.5F;
  std::string copies;
};

AreaRule ruleOf(const Params& p) {
  return {{p.shape, p.raggedness / 100, p.toothSize}, p.margin, p.isFromAbove, p.limit};
}

struct Area {
  std::vector<PointsPtr> sets;
  std::optional<Patches> patches;
  std::optional<InsideTest> inside;
  VolumePtr volume;
  std::shared_ptr<const DepthField> depth;
  MaskPtr mask;
  float limit;
  float margin;

  Area(const EvalContext& ctx, const Inputs& in, const Params& p)
      : sets(referredPoints(in, "patches", p.room)),
        volume(in.volume()),
        mask(in.mask("mask")),
        limit(p.limit),
        margin(p.margin) {
    if (!sets.empty()) patches.emplace(sets, ruleOf(p));
    if (in.surface("surface")) inside.emplace(in.surface("surface"), p.isFromAbove, p.margin, ctx.task);
    if (volume && margin != 0) depth = depthOf(volume, ctx.task);
  }
  bool isInVolume(const Vec3& place) const {
    if (!volume) return false;
    return depth ? depth->at(place).meters >= -margin : volume->isInside(place);
  }
};

/// What the points would be without their patch: the chosen attributes come whole from the patch that holds each.
void copyFromPatches(const EvalContext& ctx, Points& points, const Area& area,
                     const std::vector<std::optional<Holder>>& holders, const Patterns& patterns) {
  Array<std::uint64_t> patch(points.count);
  for (std::size_t i = 0; i < points.count; ++i) patch[i] = holders[i] ? holders[i]->id : 0;
  points.attributes.insert_or_assign("patch", Column<std::uint64_t>(std::move(patch)));
  Array<float> distance(points.count);
  for (std::size_t i = 0; i < points.count; ++i) distance[i] = holders[i] ? holders[i]->distance : 1.0F;
  points.attributes.insert_or_assign("patch-distance", Column<float>(std::move(distance)));
  std::set<std::string> names;
  std::set<std::string> carried;
  for (const PointsPtr& set : area.sets)
    for (const auto& [name, column] : set->attributes) {
      carried.insert(name);
      if (patterns.match(name)) names.insert(name);
    }
  ctx.warnUnmatched(patterns, {carried.begin(), carried.end()}, "attribute of the patches");
  for (const std::string& name : names) {
    // Joined end to end, the sets' columns are looked up by the holder's place among all.
    std::vector<Attributes> one;
    std::vector<std::pair<const Attributes*, std::size_t>> parts;
    one.reserve(area.sets.size());
    std::vector<std::size_t> start;
    std::size_t total = 0;
    for (const PointsPtr& set : area.sets) {
      Attributes& only = one.emplace_back();
      if (const auto it = set->attributes.find(name); it != set->attributes.end()) only.insert(*it);
      parts.push_back({&only, set->count});
      start.push_back(total);
      total += set->count;
    }
    Attributes own;  // one more, for points that no patch holds
    if (const auto it = points.attributes.find(name); it != points.attributes.end()) own.insert(*it);
    parts.push_back({&own, points.count});
    const Attributes all = concatenated(parts);
    Array<std::uint32_t> from(points.count);
    for (std::size_t i = 0; i < points.count; ++i)
      from[i] = static_cast<std::uint32_t>(holders[i] ? start[holders[i]->set] + holders[i]->index : total + i);
    for (auto& [copied, column] : gathered(all, from)) points.attributes.insert_or_assign(copied, column);
  }
}

template <bool KeepsInside>
Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  if (const SurfacePtr surface = in.surface("surface"))
    if (const auto index = SurfaceIndex::of(*surface); !index) return Failure(index.error());
  const Area area(ctx, in, p);
  if (!area.patches && !area.inside && !area.volume && !area.mask)
    return fail(ProblemCode::MissingInput, "nothing to keep by is connected",
                "Connect patches, a surface, a volume or a mask");
  if (ctx.task.isCancelled()) return Failure(cancelled());
  const Array<float> maskValue = area.mask ? maskValues(ctx.task, *area.mask, points) : Array<float>();
  const Array<std::uint8_t> exposed = exposedBy(ctx, in.mask("where"), points);
  const bool isCopying = KeepsInside && area.patches;  // then it matters which one
  std::vector<std::optional<Holder>> holders(isCopying ? points.count : 0);
  Array<std::uint8_t> keeps(points.count);
  parallelPieces(ctx.task, points.count, 1024, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      const Vec3& place = points.position[i];
      if (isCopying) holders[i] = area.patches->holderOf(place);
      const bool isHeld = isCopying ? holders[i].has_value() : area.patches && area.patches->holds(place);
      const bool isInside = isHeld || (area.inside && area.inside->holds(place)) || area.isInVolume(place) ||
                            (area.mask && maskValue[i] >= area.limit);
      keeps[i] = !exposed[i] || isInside == KeepsInside;
    }
  });
  if (ctx.task.isCancelled()) return Failure(cancelled());
  if (!isCopying) return keptAndLeft(ctx, points, keeps);
  Points out = points;
  copyFromPatches(ctx, out, area, holders, Patterns(p.copies));
  return keptAndLeft(ctx, out, keeps);
}

std::vector<std::string> explain(const EvalContext& ctx, const Inputs& in, const Params& p, const Points& points) {
  const Area area(ctx, in, p);
  const auto depth = area.volume ? depthOf(area.volume, ctx.task) : nullptr;
  const Array<float> maskValue = area.mask ? maskValues(ctx.task, *area.mask, points) : Array<float>();
  std::vector<std::string> out;
  for (std::size_t i = 0; i < points.count; ++i) {
    std::string text;
    if (area.patches) {
      const auto nearest = area.patches->nearestOf(points.position[i]);
      text = !nearest ? "no patch near"
                      : fmt::format("{:.2f} of the way from a patch's center to its rim", nearest->distance);
    }
    if (area.inside)
      text += fmt::format("{}{} the surface", text.empty() ? "" : ", ",
                          area.inside->holds(points.position[i]) ? "inside" : "outside");
    if (depth) {
      const float d = depth->at(points.position[i]).meters;
      text += fmt::format("{}{:.2f} m {} the volume", text.empty() ? "" : ", ", std::abs(d),
                          d >= 0 ? "inside" : "outside");
    }
    if (area.mask)
      text += fmt::format("{}mask value {:.2f}, limit {:.2f}", text.empty() ? "" : ", ", maskValue[i], p.limit);
    out.push_back(std::move(text));
  }
  return out;
}

std::vector<AreaRim> areas(const EvalContext&, const Inputs& in, const Params& p, std::size_t most) {
  const std::vector<PointsPtr> sets = referredPoints(in, "patches", p.room);
  return sets.empty() ? std::vector<AreaRim>() : Patches(sets, ruleOf(p)).rims(most);
}

template <bool KeepsInside>
std::string sentence(const Params& p) {
  std::string text = KeepsInside ? "Keep in" : "Keep out";
  if (p.margin != 0) text += fmt::format(" · {:+g} m", p.margin);
  if (p.raggedness > 0) text += " · ragged";
  return text;
}

NodeKind common() {
  NodeKind k;
  k.family = Family::Thin;
  k.inputs = {pointsInput(),
              referredPointsInput("patches", ARVESK_TEXT("node", "Patches"),
                                  ARVESK_TEXT("node", "Points used for the area their footprint covers.")),
              {"surface", ValueType::Surface, ARVESK_TEXT("node", "Surface"),
               ARVESK_TEXT("node", "A closed surface, or from above any surface."), true, false},
              volumeInput(ARVESK_TEXT("node", "A volume, in three dimensions."), true),
              {"mask", ValueType::Mask, ARVESK_TEXT("node", "Mask"),
               ARVESK_TEXT("node", "Inside is where it reaches the limit."), true, false},
              whereInput(ARVESK_TEXT("node", "The share of points that are exposed to the filter; the others pass."))};
  k.outputs = {pointsOutput(), leftOutOutput()};
  carriesNowhere(k);
  k.params = {
      param("shape", &Params::shape, ARVESK_TEXT("node", "Patch shape"),
            ARVESK_TEXT("node", "A disc of the footprint, or a box of footprint × own x and z size."),
            {{"disc", ARVESK_TEXT("node", "Disc")}, {"box", ARVESK_TEXT("node", "Box")}}),
      footprintIs("footprint_is", &Params::room),
      param(
          "margin", &Params::margin, ARVESK_TEXT("node", "Margin"),
          ARVESK_TEXT("node",
                      "Added to the patches' radius and around a surface or volume; below 0 makes patches and volumes "
                      "smaller."))
          .in(Unit::Meter)
          .hard(-1e4, 1e4)
          .usual(-2, 5, 0.05),
      param("raggedness", &Params::raggedness, ARVESK_TEXT("node", "Ragged"),
            ARVESK_TEXT("node",
                        "How much of the radius the outline's noise takes or adds; each patch has its own outline."))
          .in(Unit::Percent)
          .hard(0, 100)
          .usual(0, 100, 1),
      param("tooth_size", &Params::toothSize, ARVESK_TEXT("node", "Tooth size"),
            ARVESK_TEXT("node", "Size of the ragged teeth, as a share of the radius."))
          .hard(0.05, 5)
          .usual(0.1, 2, 0.05),
      param("from_above", &Params::isFromAbove, ARVESK_TEXT("node", "From above"),
            ARVESK_TEXT(
                "node",
                "Patches and surfaces as seen from above; else in three dimensions, where a surface must be closed.")),
      param("limit", &Params::limit, ARVESK_TEXT("node", "Mask limit"),
            ARVESK_TEXT("node", "Mask values from here on count as inside."))
          .hard(0, 1)
          .usual(0, 1, 0.01),
  };
  k.usesSeed = true;
  reaches<Params>(k, [](const Params& p) {
    // A box's corner; from above, of one that leans by up to 60°.
    const double corner = p.shape == OutlineShape::Box ? (p.isFromAbove ? 2 * std::sqrt(2.0) : std::sqrt(3.0)) : 1;
    return Reach::within(corner * static_cast<double>(std::max(p.margin, 0.0F)),
                         corner * (1 + static_cast<double>(p.raggedness) / 100));
  });
  return k;
}

}  // namespace

NodeKind makeKeepIn() {
  NodeKind k = common();
  k.id = "keep-in";
  k.label = ARVESK_TEXT("node", "Keep in");
  k.help = ARVESK_TEXT(
      "node",
      "Keeps points inside patches, a surface, a volume or a mask; inside one of them is enough. In a patch's "
      "own frame the distance from its center to its rim goes from 0 to 1; when several patches hold "
      "a point the one with the smallest distance wins, then the lower id. "
      "Kept points get the patch's id as the attribute patch, that distance as patch-distance (thinner, smaller or "
      "other "
      "kinds toward the rim go by it), and the patch's chosen attributes whole. The "
      "order of the inputs has no effect.");
  k.glyph = "keep-in";
  k.synonyms = {"inside", "patch", "area", "crop", "boundary"};
  k.params.push_back(param("copies", &Params::copies, ARVESK_TEXT("node", "Copies"),
                           ARVESK_TEXT("node",
                                       "Names of the patch's attributes that its points get: patterns with * and ?, "
                                       "separated by semicolons.")));
  k.example.joins = {"patches"};
  k.trial.params = {{"copies", std::string("*")}, {"raggedness", 50.0}};
  k.trial.leaves = {"surface"};
  k = define<Params>(std::move(k), &evaluate<true>, &sentence<true>);
  explains<Params>(k, &explain);
  showsAreas<Params>(k, &areas);
  return k;
}

NodeKind makeKeepOut() {
  NodeKind k = common();
  k.id = "keep-out";
  k.label = ARVESK_TEXT("node", "Keep out");
  k.help = ARVESK_TEXT(
      "node",
      "Keeps points outside of all connected patches, the surface, the volume and the mask: room for other things, "
      "paths and water. In a patch's own frame the distance from its center to its rim goes from 0 to "
      "1; below 1 is inside. The order of the inputs has no effect.");
  k.glyph = "keep-out";
  k.synonyms = {"outside", "avoid", "room", "path", "boundary", "exclude"};
  k.example.joins = {"patches"};
  k.trial.leaves = {"surface"};
  k = define<Params>(std::move(k), &evaluate<false>, &sentence<false>);
  explains<Params>(k, &explain);
  showsAreas<Params>(k, &areas);
  return k;
}

}  // namespace arvesk::nodes
