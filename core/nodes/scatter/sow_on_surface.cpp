// Sow on surface: points on triangles, independent or evenly spaced.
#include "core/nodes/registry.h"
#include "core/nodes/scatter/draft_share.h"
#include "core/nodes/scatter/sow.h"
#include "core/spatial/surface_index.h"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>

namespace arvesk::nodes {
namespace {

enum class Way { Free, Even };
enum class Amount { Density, Total };
enum class SpacingBy { Fixed, Mask };
enum class AreaOf { True, Above };
struct Params : DraftShare {
  Way way = Way::Free;
  Amount amount = Amount::Density;
  float density = 1;
  int total = 1000;
  SpacingBy spacingBy = SpacingBy::Fixed;
  float spacing = 1;
  Range spacings{0.5F, 2};
  AreaOf area = AreaOf::True;
  float footprint = 0.25F;
};

/// Where's value at every candidate; all 1 without a mask.
Array<float> whereOf(const EvalContext& ctx, const MaskPtr& where, const Points& at) {
  if (where) return maskValues(ctx.task, *where, at);
  Array<float> all;
  all.assign(at.count, 1.0F);
  return all;
}

/// Candidates whose fixed rank lies below where.
Array<std::uint8_t> thinnedByWhere(const EvalContext& ctx, const MaskPtr& where, const Points& at) {
  const Array<float> chance = whereOf(ctx, where, at);
  const Draw rank = ctx.draw("where");
  Array<std::uint8_t> keeps(at.count);
  for (std::size_t i = 0; i < at.count; ++i) keeps[i] = rank.unit(at.id[i]) < chance[i];
  return keeps;
}

Result<Points> freeByTotal(const EvalContext& ctx, const Surface& surface, const Array<float>& areas, double area,
                           const MaskPtr& where, const Params& p) {
  const Draw draw = ctx.draw("place");
  const auto wanted = static_cast<std::size_t>(p.total);
  for (double density = 1.2 * p.total / area;; density *= 2) {
    if (auto ok = guardPoints(ctx, density * area, "Lower the total, or let \"where\" keep more"); !ok) {
      return fail(ProblemCode::TooMany,
                  fmt::format("\"where\" keeps so little that {} points would need over {} candidates", p.total,
                              ctx.limits.points),
                  "Lower the total, or let \"where\" keep more");
    }
    const Sown sown = sowFree(ctx.task, surface, areas, density, ctx.nodeUid, draw);
    const Points all = pointsFrom(ctx.task, surface, sown, p.footprint);
    const Array<std::uint8_t> keeps = thinnedByWhere(ctx, where, all);
    if (ctx.task.isCancelled()) return Failure(cancelled());
    struct Ranked {
      double level;
      std::uint64_t id;
      std::uint32_t index;
    };
    std::vector<Ranked> ranked;
    for (std::size_t i = 0; i < all.count; ++i)
      if (keeps[i])
        ranked.push_back(
            {appearsAt(surface, sown.face[i], sown.code[i], areas, draw), sown.id[i], static_cast<std::uint32_t>(i)});
    if (ranked.size() < wanted) continue;
    const auto byLevel = [](const Ranked& a, const Ranked& b) {
      return a.level != b.level ? a.level < b.level : a.id < b.id;
    };
    std::nth_element(ranked.begin(), ranked.begin() + static_cast<std::ptrdiff_t>(wanted), ranked.end(), byLevel);
    Array<std::uint32_t> chosen;
    for (std::size_t i = 0; i < wanted; ++i) chosen.push_back(ranked[i].index);
    std::sort(chosen.begin(), chosen.end());
    *ctx.candidates = all.count;
    return gathered(all, chosen);
  }
}

Sown someOf(const Sown& all, const Array<std::uint32_t>& which) {
  Sown out;
  const auto take = [&](auto& to, const auto& from) {
    to.resize(which.size());
    for (std::size_t k = 0; k < which.size(); ++k) to[k] = from[which[k]];
  };
  take(out.position, all.position);
  take(out.face, all.face);
  take(out.weights, all.weights);
  take(out.code, all.code);
  take(out.id, all.id);
  return out;
}

Result<Points> freeByDensity(const EvalContext& ctx, const Surface& surface, const Array<float>& areas, double area,
                             const MaskPtr& where, const Params& p) {
  const auto density = static_cast<double>(p.density);
  if (auto ok = guardPoints(ctx, density * area, "Lower the density"); !ok) return Failure(ok.error());
  const Draw draw = ctx.draw("place");
  const DraftTest draft(ctx, p);
  if (!where && draft.isWhole()) {
    Points all = sowFreePoints(ctx.task, surface, areas, density, ctx.nodeUid, draw, p.footprint);
    if (ctx.task.isCancelled()) return Failure(cancelled());
    *ctx.candidates = all.count;
    return all;
  }
  const Draw rank = ctx.draw("where");
  std::atomic<std::size_t> given{0};
  const auto keeps = [&](const Sown& candidates) {
    Array<std::uint8_t> out(candidates.size());
    Array<std::uint32_t> asked;
    for (std::size_t i = 0; i < out.size(); ++i) {
      out[i] = draft.holds(candidates.id[i]);
      if (out[i]) asked.push_back(static_cast<std::uint32_t>(i));
    }
    given += asked.size();
    if (!where) return out;
    const Points places = asked.size() == candidates.size() ? pointsFrom({}, surface, candidates, 0)
                                                            : pointsFrom({}, surface, someOf(candidates, asked), 0);
    Array<float> chance(places.count);
    where->values(places, 0, places.count, chance.data());
    for (std::size_t k = 0; k < places.count; ++k)
      out[asked[k]] = rank.unit(places.id[k]) < std::clamp(chance[k], 0.0F, 1.0F);
    return out;
  };
  const IsBarren isBarren = [&](std::uint32_t face, std::uint32_t count) {
    const UVec3 t = surface.triangles[face];
    Box3 box;
    for (const std::uint32_t v : {t.x, t.y, t.z}) box.add(surface.positions[v]);
    const Vec3 rounding = 1e-6F * glm::max(glm::abs(box.min), glm::abs(box.max));
    if (!where->isZeroIn({box.min - rounding, box.max + rounding})) return false;
    if (draft.isWhole()) return true;
    std::size_t inDraft = 0;  // they count as candidates all the same
    for (std::uint64_t k = 0; k < count; ++k) inDraft += draft.holds(hashOf(ctx.nodeUid, surface.faceKey(face), k));
    given += inDraft;
    return true;
  };
  std::size_t candidates = 0;
  Sown sown = sowFreeWhere(ctx.task, surface, areas, density, ctx.nodeUid, draw, keeps, where ? isBarren : IsBarren(),
                           candidates);
  if (ctx.task.isCancelled()) return Failure(cancelled());
  *ctx.candidates = draft.isWhole() ? candidates : given.load();
  return pointsFrom(ctx.task, surface, std::move(sown), p.footprint);
}

Result<Points> even(const EvalContext& ctx, const Surface& surface, const Array<float>& areas, double area,
                    const Inputs& in, const Params& p) {
  const MaskPtr spacingMask = p.spacingBy == SpacingBy::Mask ? in.mask("spacing") : nullptr;
  float least = p.spacing;
  float most = p.spacing;
  if (p.spacingBy == SpacingBy::Mask) {
    least = std::min(p.spacings.from, p.spacings.to);
    most = std::max(p.spacings.from, p.spacings.to);
    if (!spacingMask)
      ctx.warn("spacing is to follow a mask, but none is connected; the first of the two values is used",
               "Connect a mask to Spacing");
  }
  if (!(least > 0)) return fail(ProblemCode::BadParameter, fmt::format("spacing is {} m, must be above 0 m", least));
  if (auto ok = guardPoints(ctx, 4 * area / (0.785 * static_cast<double>(least) * static_cast<double>(least)),
                            "Raise the spacing");
      !ok)
    return Failure(ok.error());
  const SpacingOf spacingOf = [&](const Sown& at, Array<float>& out) {
    if (!spacingMask) {
      std::fill(out.begin(), out.end(), p.spacingBy == SpacingBy::Mask ? p.spacings.from : p.spacing);
      return;
    }
    const Points places = pointsFrom(ctx.task, surface, at, 0);
    out = maskValues(ctx.task, *spacingMask, places);
    for (float& v : out) v = p.spacings.from + (p.spacings.to - p.spacings.from) * v;
  };
  Sown sown = sowEven(ctx.task, surface, areas, least, most, p.area == AreaOf::Above, spacingOf, ctx.nodeUid,
                      ctx.draw("place"));
  if (ctx.task.isCancelled()) return Failure(cancelled());
  const Points all = pointsFrom(ctx.task, surface, std::move(sown), p.footprint);
  *ctx.candidates = all.count;
  return *split(all, thinnedByWhere(ctx, in.mask("where"), all)).first;
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const SurfacePtr surface = in.surface("surface");
  const auto table = areaTableOf(*surface);
  const bool isAbove = p.area == AreaOf::Above;
  const double area = isAbove ? table->totalAbove : table->total;
  if (!(area > 0))
    return fail(ProblemCode::WrongInput,
                isAbove ? "the surface has no area as seen from above" : "the surface has no area");
  const Array<float>& areas = isAbove ? table->areaAbove : table->area;
  const MaskPtr where = in.mask("where");
  Result<Points> points = p.way == Way::Even          ? even(ctx, *surface, areas, area, in, p)
                          : p.amount == Amount::Total ? freeByTotal(ctx, *surface, areas, area, where, p)
                                                      : freeByDensity(ctx, *surface, areas, area, where, p);
  if (!points) return Failure(points.error());
  points->draftLevel = draftLevels(p, points->id, points->count);
  return Outputs{std::make_shared<const Points>(std::move(*points))};
}

std::string sentence(const Params& p) {
  if (p.way == Way::Even)
    return p.spacingBy == SpacingBy::Fixed ? fmt::format("Even · {:g} m apart", p.spacing)
                                           : fmt::format("Even · {:g} to {:g} m apart", p.spacings.from, p.spacings.to);
  return p.amount == Amount::Density ? fmt::format("Free · {:g} per m²", p.density)
                                     : fmt::format("Free · {} in all", p.total);
}

}  // namespace

const NodeKind& sowOnSurface() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "sow-on-surface";
    k.family = Family::Scatter;
    k.label = ARVESK_TEXT("node", "Sow on surface");
    k.help = ARVESK_TEXT(
        "node",
        "Scatters points on a surface. Free places them independently: by density, or an exact total after \"where\". "
        "Even keeps them a spacing apart and fills the gaps, so it does not nest when the spacing changes. "
        "\"Where\" is the chance that a candidate stays, by the candidate's fixed rank: more \"where\" or more density "
        "only adds points.");
    k.glyph = "sow";
    k.synonyms = {"scatter", "distribute", "density", "points", "poisson", "blue noise"};
    k.inputs = {{"surface", ValueType::Surface, ARVESK_TEXT("node", "Surface"),
                 ARVESK_TEXT("node", "What to scatter on."), false, false},
                whereInput(ARVESK_TEXT("node", "The chance that a candidate stays.")),
                {"spacing", ValueType::Mask, ARVESK_TEXT("node", "Spacing"),
                 ARVESK_TEXT("node", "For Even: 0 gives the first, 1 the second of the two spacings."), true, false}};
    k.outputs = {pointsOutput()};
    k.params = {
        param("way", &Params::way, ARVESK_TEXT("node", "Way"),
              ARVESK_TEXT("node", "Free: independent points. Even: no two closer than the spacing."),
              {{"free", ARVESK_TEXT("node", "Free")}, {"even", ARVESK_TEXT("node", "Even")}}),
        param("amount", &Params::amount, ARVESK_TEXT("node", "Amount"),
              ARVESK_TEXT("node", "Points per m², or a total that is exact after \"where\"."),
              {{"density", ARVESK_TEXT("node", "Density")}, {"total", ARVESK_TEXT("node", "Exact total")}})
            .shown("way", {"free"}),
        param("density", &Params::density, ARVESK_TEXT("node", "Density"),
              ARVESK_TEXT("node", "Points per m² of the chosen area, before \"where\"."))
            .in(Unit::PerSquareMeter)
            .hard(0, 1e6)
            .usual(0, 20, 0.1)
            .shown("amount", {"density"}),
        param("total", &Params::total, ARVESK_TEXT("node", "Total"),
              ARVESK_TEXT("node", "How many points stay in final quality."))
            .hard(0, 1e8)
            .usual(0, 100000, 100)
            .shown("amount", {"total"}),
        param("spacing_by", &Params::spacingBy, ARVESK_TEXT("node", "Spacing is"),
              ARVESK_TEXT("node", "The same everywhere, or between two values by the mask at Spacing."),
              {{"fixed", ARVESK_TEXT("node", "Fixed")}, {"mask", ARVESK_TEXT("node", "By mask")}})
            .shown("way", {"even"}),
        param("spacing", &Params::spacing, ARVESK_TEXT("node", "Spacing"),
              ARVESK_TEXT("node", "No two points are closer than this."))
            .in(Unit::Meter)
            .hard(0.001, 1e4)
            .usual(0.05, 10, 0.05)
            .shown("spacing_by", {"fixed"}),
        param("spacings", &Params::spacings, ARVESK_TEXT("node", "Spacings"),
              ARVESK_TEXT("node",
                          "Spacing where the mask is 0 and where it is 1; two points keep half the sum of theirs."))
            .in(Unit::Meter)
            .hard(0.001, 1e4)
            .usual(0.05, 10, 0.05)
            .shown("spacing_by", {"mask"}),
        param("area", &Params::area, ARVESK_TEXT("node", "Area"),
              ARVESK_TEXT("node",
                          "True: steep places get as many per m² of skin. As seen from above: per m² of the plan view, "
                          "undersides get none, and Even measures its spacing from above."),
              {{"true", ARVESK_TEXT("node", "True")}, {"above", ARVESK_TEXT("node", "From above")}}),
        param("footprint", &Params::footprint, ARVESK_TEXT("node", "Footprint"),
              ARVESK_TEXT("node", "Radius of ground that a point claims until it is given a prop."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0, 5, 0.05),
    };
    addDraftParams<Params>(k.params);
    k.usesSeed = true;
    reaches<Params>(k, [](const Params& p) {
      if (p.way == Way::Free) return p.amount == Amount::Total ? Reach::whole(true) : Reach::none();
      // Chains of darts: most ends were within 5.7 spacings, measured over random ground.
      const float most = p.spacingBy == SpacingBy::Fixed ? p.spacing : std::max(p.spacings.from, p.spacings.to);
      return Reach::among(12 * static_cast<double>(most), 0, false);
    });
    k.amountParam = "density";
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
