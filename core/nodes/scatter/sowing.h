// Sowing on any domain as nodes offer it: free by density or by an exact total, or even; "where", draft and limits are
// the same for all domains.
#pragma once

#include "core/masks/mask.h"
#include "core/nodes/scatter/draft_share.h"
#include "core/nodes/scatter/sow_even.h"

#include <fmt/format.h>

namespace arvesk::nodes {

/// What "where" does to even sowing.
enum class EvenWhere {
  Thins,   // all is filled, then each point has its chance
  Fills,   // what is at least half is filled, and nothing else
  Widens,  // the less, the wider the spacing: as many per area or volume as it says
};
/// Below this share nothing is placed where the spacing widens; it would be four times as wide.
inline constexpr float kLeastWiden = 1.0F / 16;

struct SowSettings {
  bool isEven = false;
  bool isTotal = false;  // of free sowing
  float density = 1;     // per unit of the domain's measure
  int total = 1000;
  bool isSpacingByMask = false;
  float spacing = 1;        // m
  Range spacings{0.5F, 2};  // m, where the mask is 0 and where it is 1
  EvenWhere evenWhere = EvenWhere::Thins;
  float footprint = 0.25F;  // m
  DraftShare draft{};
};

template <typename P>
ParamSpec evenWhereParam(EvenWhere P::*member) {
  return param(
             "even_where", member, ARVESK_TEXT("node", "Where"),
             ARVESK_TEXT("node",
                         "What \"where\" does to evenly spaced points. Thinned: all is filled, then each has its "
                         "chance, which leaves gaps. Filled: where it is at least one half, and only there, up to its "
                         "edge. Wider apart: the less it is, the wider the spacing, up to four times, so that as many "
                         "stand per area or volume as it says; with less than 1/16 nothing is placed. The last two do "
                         "not only add points when it grows."),
             {{"thins", ARVESK_TEXT("node", "Thinned")},
              {"fills", ARVESK_TEXT("node", "Filled")},
              {"widens", ARVESK_TEXT("node", "Wider apart")}})
      .shown("way", {"even"});
}

/// Where's value at every candidate; all 1 without a mask.
inline Array<float> whereOf(const EvalContext& ctx, const MaskPtr& where, const Points& at) {
  if (where) return maskValues(ctx.task, *where, at);
  Array<float> all;
  all.assign(at.count, 1.0F);
  return all;
}

/// Candidates whose fixed rank lies below where.
inline Array<std::uint8_t> thinnedByWhere(const EvalContext& ctx, const MaskPtr& where, const Points& at) {
  const Array<float> chance = whereOf(ctx, where, at);
  const Draw rank = ctx.draw("where");
  Array<std::uint8_t> keeps(at.count);
  parallelPieces(ctx.task, at.count, 65536, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) keeps[i] = rank.unit(at.id[i]) < chance[i];
  });
  return keeps;
}

template <SowingDomain D>
Result<void> guardCells(const D& domain) {
  if constexpr (PartlyOutside<D>)
    if (domain.isTooMany())
      return fail(ProblemCode::TooMany, "nearly all candidates lie outside: the body is too thin for so many points",
                  "Lower the density or the total, or sow on its surface");
  return {};
}

/// An exact total after "where": as many of the candidates as asked, by the density at which each appears.
template <SowingDomain D>
Result<Points> freeByTotal(const EvalContext& ctx, const D& whole, const MaskPtr& where, const SowSettings& p) {
  const Draw draw = ctx.draw("place");
  const auto wanted = static_cast<std::size_t>(p.total);
  for (double density = 1.2 * p.total / whole.total();; density *= 2) {
    if (auto ok = guardPoints(ctx, density * whole.total(), "Lower the total, or let \"where\" keep more"); !ok) {
      return fail(
          ProblemCode::TooMany,
          fmt::format("so few candidates stay that {} points would need over {} of them", p.total, ctx.limits.points),
          "Lower the total, or let \"where\" and depths keep more");
    }
    const D& domain = whole.forDensity(ctx.task, density);
    if (auto ok = guardCells(domain); !ok) return Failure(ok.error());
    auto sown = sowFreeWithin(ctx.task, domain, D::perMeasure(density), ctx.nodeUid, draw);
    if (ctx.task.isCancelled()) return Failure(cancelled());
    Array<double> level(sown.size());
    parallelPieces(ctx.task, level.size(), 65536, [&](std::size_t begin, std::size_t end) {
      for (std::size_t i = begin; i < end; ++i)
        level[i] = domain.appearsAt(sown.cell[i], sown.code[i], unitDouble(draw.bits(domain.keyOf(sown.cell[i]))));
    });
    const Points all = pointsFrom(ctx.task, domain, std::move(sown), p.footprint);
    const Array<std::uint8_t> keeps = thinnedByWhere(ctx, where, all);
    if (ctx.task.isCancelled()) return Failure(cancelled());
    struct Ranked {
      double level;
      std::uint64_t id;
      std::uint32_t index;
    };
    Array<Ranked> ranked;
    for (std::size_t i = 0; i < all.count; ++i) {
      endIfStoppedAt(i);
      if (keeps[i]) ranked.push_back({level[i], all.id[i], static_cast<std::uint32_t>(i)});
    }
    if (ranked.size() < wanted) continue;
    const auto byLevel = [](const Ranked& a, const Ranked& b) {
      return a.level != b.level ? a.level < b.level : a.id < b.id;
    };
    firstToFront(ranked, wanted, byLevel);
    Array<std::uint32_t> chosen;
    for (std::size_t i = 0; i < wanted; ++i) chosen.push_back(ranked[i].index);
    sortLarge(chosen, std::less<>());
    *ctx.candidates = all.count;
    return gathered(all, chosen);
  }
}

/// m² or m³ of the cells that may lie in the part.
template <SowingDomain D>
double measureIn(const Part& part, const D& domain) {
  double out = 0;
  const auto runs = domain.runBoxes();
  forRuns(
      runs.get(), 0, domain.measures().size(), [&](const Box3& box) { return !part.meets(box); },
      [&](std::size_t begin, std::size_t end, bool isOut) {
        for (std::size_t c = begin; c < end && !isOut; ++c)
          if (part.meets(domain.boxOf(static_cast<std::uint32_t>(c)))) out += static_cast<double>(domain.measures()[c]);
      });
  return out;
}

/// By density, thinned by "where" candidate by candidate; of a draft and of a part only what it delivers is made.
template <SowingDomain D>
Result<Points> freeByDensity(const EvalContext& ctx, const D& whole, const MaskPtr& where, const SowSettings& p) {
  using Places = Sown<typename D::Weights>;
  const auto wanted = static_cast<double>(p.density);
  const bool isPart = !PartlyOutside<D> && !ctx.part.isAll();
  double measure = whole.total();
  if constexpr (!PartlyOutside<D>)
    if (isPart) measure = measureIn(ctx.part, whole);
  if (auto ok = guardPoints(ctx, wanted * measure, "Lower the density"); !ok) return Failure(ok.error());
  const D& domain = whole.forDensity(ctx.task, wanted);
  if (auto ok = guardCells(domain); !ok) return Failure(ok.error());
  const double density = D::perMeasure(wanted);
  const Draw draw = ctx.draw("place");
  const DraftTest draft(ctx, p.draft);
  if (!PartlyOutside<D> && !where && draft.isWhole() && !isPart) {
    Points all = sowFreePoints(ctx.task, domain, density, ctx.nodeUid, draw, p.footprint);
    if (ctx.task.isCancelled()) return Failure(cancelled());
    *ctx.candidates = all.count;
    return all;
  }
  const Draw rank = ctx.draw("where");
  std::atomic<std::size_t> given{0};
  const auto keeps = [&](const Places& candidates) {
    Array<std::uint8_t> out(candidates.size());
    Array<std::uint32_t> asked;
    for (std::size_t i = 0; i < out.size(); ++i) {
      out[i] = draft.holds(candidates.id[i]);
      if constexpr (PartlyOutside<D>) out[i] = out[i] && domain.holds(candidates.cell[i], candidates.weights[i]);
      if (out[i]) asked.push_back(static_cast<std::uint32_t>(i));
    }
    given += asked.size();
    if (!where) return out;
    Places some = asked.size() == candidates.size() ? candidates : candidates.some(asked);
    Points places;
    if (where->isOfPlaceAlone()) {
      places.count = some.size();
      places.position = worldPositions(domain, std::move(some.position));
      places.id = std::move(some.id);
    } else {
      places = pointsFrom({}, domain, std::move(some), 0);
    }
    Array<float> chance(places.count);
    where->values(places, 0, places.count, chance.data());
    for (std::size_t k = 0; k < places.count; ++k)
      out[asked[k]] = rank.unit(places.id[k]) < std::clamp(chance[k], 0.0F, 1.0F);
    return out;
  };
  Barren barren;  // candidates that lie outside of their domain are not to be counted: there all are made
  if ((where || isPart) && !PartlyOutside<D>)
    barren.isIn = [&](const Box3& box) { return !ctx.part.meets(box) || (where && where->isZeroIn(box)); };
  if (where && !PartlyOutside<D> && !draft.isWhole() && !isPart)
    barren.onSkipped = [&](std::uint32_t cell, std::uint32_t count) {
      std::size_t inDraft = 0;  // they count as candidates all the same
      for (std::uint64_t k = 0; k < count; ++k) inDraft += draft.holds(hashOf(ctx.nodeUid, domain.keyOf(cell), k));
      given += inDraft;
    };
  std::size_t candidates = 0;
  Places sown = sowFreeWhere<D>(ctx.task, domain, density, ctx.nodeUid, draw, keeps, barren, candidates);
  if (ctx.task.isCancelled()) return Failure(cancelled());
  *ctx.candidates = draft.isWhole() && !PartlyOutside<D> && !isPart ? candidates : given.load();
  return pointsFrom(ctx.task, domain, std::move(sown), p.footprint);
}

/// No two closer than the spacing, which may follow a mask; "where" thins afterwards, or says what is filled.
template <SowingDomain D>
Result<Points> evenly(const EvalContext& ctx, const D& whole, const MaskPtr& where, const MaskPtr& spacingMask,
                      const SowSettings& p) {
  using Places = Sown<typename D::Weights>;
  float least = p.spacing;
  float most = p.spacing;
  if (p.isSpacingByMask) {
    least = std::min(p.spacings.from, p.spacings.to);
    most = std::max(p.spacings.from, p.spacings.to);
    if (!spacingMask)
      ctx.warn("spacing is to follow a mask, but none is connected; the first of the two values is used",
               "Connect a mask to Spacing");
  }
  if (!(least > 0)) return fail(ProblemCode::BadParameter, fmt::format("spacing is {} m, must be above 0 m", least));
  EvenPart part;
  double measure = whole.total();
  if constexpr (!PartlyOutside<D>)
    if (!ctx.known.isAll()) {
      part = {ctx.known, ctx.wanted};
      measure = measureIn(ctx.known, whole);
    }
  if (auto ok = guardPoints(ctx, 4 * measure / D::ballMeasure(static_cast<double>(least)), "Raise the spacing"); !ok)
    return Failure(ok.error());
  const D& domain = whole.forSpacing(ctx.task, least);
  if (auto ok = guardCells(domain); !ok) return Failure(ok.error());
  const bool isArea = where && p.evenWhere != EvenWhere::Thins;
  const bool isWidened = where && p.evenWhere == EvenWhere::Widens;
  if (isWidened) most *= 4;
  const SpacingOf<typename D::Weights> spacingOf = [&](const Places& at, Array<float>& out) {
    const bool isByMask = p.isSpacingByMask && spacingMask;
    if (!isByMask) std::fill(out.begin(), out.end(), p.isSpacingByMask ? p.spacings.from : p.spacing);
    if (!isByMask && !isWidened) return;
    const Points places = pointsFrom(ctx.task, domain, at, 0);
    if (isByMask) {
      out = maskValues(ctx.task, *spacingMask, places);
      for (float& v : out) v = p.spacings.from + (p.spacings.to - p.spacings.from) * v;
    }
    if (!isWidened) return;
    const Array<float> share = maskValues(ctx.task, *where, places);
    constexpr float kRoot = D::kChildren > 4 ? 1.0F / 3 : 1.0F / 2;
    for (std::size_t i = 0; i < out.size(); ++i) out[i] /= std::pow(std::clamp(share[i], kLeastWiden, 1.0F), kRoot);
  };
  EvenArea<typename D::Weights> filled;
  if (isArea) {
    filled.holds = [&, least = isWidened ? kLeastWiden : 0.5F](const Places& at, Array<std::uint8_t>& out) {
      const Array<float> share = maskValues(ctx.task, *where, pointsFrom(ctx.task, domain, at, 0));
      for (std::size_t i = 0; i < out.size(); ++i) out[i] = share[i] >= least;
    };
    filled.isNoneIn = [&](const Box3& box) { return where->isZeroIn(box); };
  }
  bool isOpen = false;
  Places sown = sowEven(ctx.task, domain, least, most, spacingOf, ctx.nodeUid, ctx.draw("place"), filled, part,
                        &isOpen);
  if (ctx.task.isCancelled()) return Failure(cancelled());
  if (isOpen) {
    ctx.askWider(4 * static_cast<double>(most));
    return Points();  // it is made anew with more around
  }
  Points all = pointsFrom(ctx.task, domain, std::move(sown), p.footprint);
  *ctx.candidates = all.count;
  if (isArea) return all;
  return *split(all, thinnedByWhere(ctx, where, all)).first;
}

/// Points by `p`, with ids, ground records and draft levels.
template <SowingDomain D>
Result<Points> sown(const EvalContext& ctx, const D& domain, const MaskPtr& where, const MaskPtr& spacingMask,
                    const SowSettings& p) {
  Result<Points> points = p.isEven    ? evenly(ctx, domain, where, spacingMask, p)
                          : p.isTotal ? freeByTotal(ctx, domain, where, p)
                                      : freeByDensity(ctx, domain, where, p);
  if (points) points->draftLevel = draftLevels(p.draft, points->id, points->count);
  return points;
}

}  // namespace arvesk::nodes
