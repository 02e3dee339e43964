// Hold inside: what was shifted out of a volume comes back, or is left out.
#include "core/nodes/margin.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class Outsiders { BringBack, LeaveOut };
struct Params {
  Outsiders outsiders = Outsiders::BringBack;
  float reach = 1;
  MarginBy marginBy = MarginBy::Fixed;
  float margin = 0;
};

/// Least depth of each point.
float marginOf(const Points& points, std::size_t i, const Params& p) {
  if (p.marginBy == MarginBy::Fixed || !points.kit || points.prop[i] == kNoProp) return p.margin;
  const Vec3 size = glm::abs(points.size[i]);
  return p.margin + std::max({size.x, size.y, size.z}) *
                        reachOf(*points.kit->entries[static_cast<std::size_t>(points.prop[i])].prop);
}

/// Step by step toward the inside: where skins meet in a corner, one step does not do.
bool comesBack(const DepthField& depth, float margin, float reach, Vec3& place) {
  constexpr int kSteps = 32;
  const Vec3 from = place;
  const float slack = 1e-5F * (glm::length(place) + std::abs(margin));
  for (int step = 0; step < kSteps; ++step) {
    const Depth d = depth.at(place);
    if (d.meters >= margin) return true;
    place -= d.outward * (margin - d.meters + slack);
    if (glm::distance(place, from) > reach) return false;
  }
  return false;
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  const VolumePtr volume = in.volume();
  const auto depth = depthOf(volume, ctx.task);
  if (!depth) return Failure(cancelled());
  if (p.marginBy == MarginBy::Prop && !points.kit)
    ctx.warn("the margin is to be the prop's reach, but the points have no props; the fixed margin alone counts",
             "Put it after Dress");
  Array<Vec3> position = points.position.copied(points.count);
  Array<std::uint8_t> keeps(points.count);
  parallelPieces(ctx.task, points.count, 512, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      const float margin = marginOf(points, i, p);
      keeps[i] = p.outsiders == Outsiders::LeaveOut ? depth->at(position[i]).meters >= margin
                                                    : comesBack(*depth, margin, p.reach, position[i]);
      if (!keeps[i]) position[i] = points.position[i];
    }
  });
  if (ctx.task.isCancelled()) return Failure(cancelled());
  Points out = points;
  out.position = std::move(position);
  auto [kept, left] = split(out, keeps);
  return Outputs{std::move(kept), std::move(left)};
}

std::vector<std::string> explain(const EvalContext& ctx, const Inputs& in, const Params& p, const Points& points) {
  std::vector<std::string> out;
  const auto depth = depthOf(in.volume(), ctx.task);
  for (std::size_t i = 0; i < points.count && depth; ++i)
    out.push_back(
        fmt::format("depth {:.2f} m, margin {:.2f} m", depth->at(points.position[i]).meters, marginOf(points, i, p)));
  return out;
}

std::string sentence(const Params& p) {
  std::string text = p.outsiders == Outsiders::LeaveOut ? "Leave out what is outside"
                                                        : fmt::format("Back inside, up to {:g} m", p.reach);
  if (p.marginBy == MarginBy::Prop)
    text += " · by prop";
  else if (p.margin != 0)
    text += fmt::format(" · {:g} m deep", p.margin);
  return text;
}

}  // namespace

const NodeKind& holdInside() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "hold-inside";
    k.family = Family::Adjust;
    k.label = ARVESK_TEXT("node", "Hold inside");
    k.help = ARVESK_TEXT("node",
                         "Keeps points inside of a volume: what was shifted out, or lies nearer to the skin than the "
                         "margin, comes back to the nearest place that is deep enough, or is left out. What finds "
                         "none within the reach is left out. Points that are deep enough stay where they are.");
    k.glyph = "hold-inside";
    k.synonyms = {"contain", "clamp", "volume", "poke", "keep"};
    k.inputs = {pointsInput(), volumeInput(ARVESK_TEXT("node", "What the points are held in."))};
    k.outputs = {pointsOutput(), leftOutOutput()};
    k.params = {
        param("outsiders", &Params::outsiders, ARVESK_TEXT("node", "Outsiders"),
              ARVESK_TEXT("node", "What happens to points that are not deep enough."),
              {{"bring_back", ARVESK_TEXT("node", "Come back")}, {"leave_out", ARVESK_TEXT("node", "Are left out")}}),
        param("reach", &Params::reach, ARVESK_TEXT("node", "Reach"),
              ARVESK_TEXT("node", "How far a point may be brought."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0, 10, 0.05)
            .shown("outsiders", {"bring_back"}),
    };
    addMarginParams(k.params, &Params::marginBy, &Params::margin,
                    ARVESK_TEXT("node", "One length for all, or as far as each one's prop reaches from its pivot."));
    k.trial.params = {{"reach", 40.0}};
    reaches<Params>(k, [](const Params& p) {
      // Of the volume, what lies within reach and margin; what props reach is not known here.
      return p.marginBy == MarginBy::Prop ? Reach::whole(false)
                                          : Reach::within(2 * static_cast<double>(p.reach + std::max(p.margin, 0.0F)));
    });
    keepsSizes(k);
    carries<Params>(k, [](const Params& p) -> std::optional<Carries> {
      return Carries{static_cast<double>(p.reach), static_cast<double>(p.reach)};
    });
    k = define<Params>(std::move(k), &evaluate, &sentence);
    explains<Params>(k, &explain);
    return k;
  }();
  return kind;
}

}  // namespace arvesk::nodes
