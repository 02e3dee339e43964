// Set down: puts points onto ground and renews their ground record.
#include "core/nodes/adjust/effect.h"
#include "core/nodes/registry.h"
#include "core/props/quantities.h"
#include "core/spatial/ground.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class Along { Vertical, Direction };
enum class Misses { LeftOut, Kept };
enum class SinkBy { Meters, Share, Height };
struct Params {
  SetDownWay way = SetDownWay::NearestAlong;
  Along along = Along::Vertical;
  Vec3 direction{0, -1, 0};
  float reach = 1000;
  Misses misses = Misses::LeftOut;
  SinkBy sinkBy = SinkBy::Meters;
  float sink = 0;
  float sinkShare = 0;
  float amount = 100;
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  const SurfacePtr ground = in.surface();
  const auto index = SurfaceIndex::of(*ground);
  if (!index) return Failure(index.error());
  const Vec3 direction = p.along == Along::Vertical ? -kUp : directionOr(p.direction, Vec3(0));
  if (direction == Vec3(0))
    return fail(ProblemCode::BadParameter, "direction is 0, 0, 0", "Set a direction, such as 0, -1, 0 for down");
  const Array<std::uint32_t> order = mortonOrder(points.position, points.count);

  // Rays go in Morton order, so what they find is written far apart: one record per point, turned into columns
  // afterwards.
  Array<GroundPlace> found(points.count);
  parallelPieces(ctx.task, points.count, 1024, [&](std::size_t begin, std::size_t end) {
    for (std::size_t k = begin; k < end; ++k) {
      const std::uint32_t i = order[k];
      const SurfaceHit hit = groundHit(**index, points.position[i], p.way, direction, p.reach);
      if (hit.isHit())
        found[i] = groundPlaceOf(*ground, hit);
      else
        found[i].face = kNoFace;
    }
  });
  if (ctx.task.isCancelled()) return Failure(cancelled());

  const MaskPtr where = in.mask("where");
  const Array<float> effect = where ? effectOf(ctx, where, points, p.amount) : Array<float>();
  Array<Vec3> position(points.count);
  Array<Vec3> normal(points.count);
  Array<std::uint32_t> face(points.count);
  Array<Vec2> uv(points.count);
  Array<std::uint8_t> keeps(points.count);
  Array<Vec3> moved = points.movedBy.copied(points.count);
  const Extents extents(points);
  parallelPieces(ctx.task, points.count, 8192, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      const GroundPlace& place = found[i];
      const bool isHit = place.face != kNoFace;
      keeps[i] = isHit || p.misses == Misses::Kept;
      position[i] = points.position[i];
      normal[i] = isHit ? place.normal : points.groundNormal[i];
      face[i] = isHit ? place.face : points.groundFace[i];
      uv[i] = isHit ? place.uv : points.groundUv[i];
      if (!isHit) continue;
      moved[i] = Vec3(0);
      const float sink = p.sinkBy == SinkBy::Meters  ? p.sink
                         : p.sinkBy == SinkBy::Share ? p.sinkShare / 100 * points.size[i].y
                                                     : p.sinkShare / 100 * extents(i).y;
      const Vec3 into = p.way == SetDownWay::NearestPlace ? -place.normal : direction;
      position[i] += (place.position + into * sink - position[i]) * (where ? effect[i] : p.amount / 100);
    }
  });
  if (ctx.task.isCancelled()) return Failure(cancelled());
  Points out = points;
  out.position = std::move(position);
  out.groundNormal = std::move(normal);
  out.groundFace = std::move(face);
  out.groundUv = std::move(uv);
  if (!points.movedBy.isConstant()) out.movedBy = std::move(moved);
  auto [kept, left] = split(out, keeps);
  if (left->count > 0) {
    constexpr std::size_t kAsked = 1000;
    constexpr float kFar = 1e7F;
    std::size_t further = 0;  // would a longer reach help?
    for (std::size_t i = 0; i < std::min(left->count, kAsked); ++i)
      further += groundHit(**index, left->position[i], p.way, direction, kFar).isHit();
    ctx.warn(fmt::format("{} points found no ground within {:g} m", left->count, p.reach),
             further > 0 ? "Raise the reach, or keep the misses"
                         : "They lie beside the ground, whatever the reach: widen the ground, or keep the misses");
  }
  return Outputs{std::move(kept), std::move(left)};
}

std::vector<std::string> explain(const EvalContext&, const Inputs&, const Params& p, const Points& points) {
  return std::vector<std::string>(points.count, fmt::format("ground within {:g} m", p.reach));
}

std::string sentence(const Params& p) {
  std::string text = p.way == SetDownWay::NearestPlace   ? "Set down · to the nearest place"
                     : p.way == SetDownWay::TopmostAlong ? "Set down · topmost"
                                                         : "Set down · nearest";
  if (p.sinkBy == SinkBy::Meters && p.sink != 0) text += fmt::format(", {:g} m deep", p.sink);
  if (p.sinkBy != SinkBy::Meters && p.sinkShare != 0) text += fmt::format(", {:g} % deep", p.sinkShare);
  return text;
}

}  // namespace

const NodeKind& setDown() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "set-down";
    k.groundFrom = "ground";
    k.family = Family::Adjust;
    k.label = ARVESK_TEXT("node", "Set down");
    k.help = ARVESK_TEXT("node",
                         "Puts points onto ground: along a direction to both sides within a reach, to the nearest or "
                         "the topmost place, or to the nearest place in any direction. Renews the ground record; never "
                         "turns. Points that find no ground are left out or kept as they were.");
    k.glyph = "set-down";
    k.synonyms = {"project", "snap", "ground", "settle", "place"};
    k.inputs = {pointsInput(), groundInput(false), adjustWhereInput()};
    k.outputs = {pointsOutput(), leftOutOutput()};
    k.params = {
        param("way", &Params::way, ARVESK_TEXT("node", "Land on"), ARVESK_TEXT("node", "Which place of the ground."),
              {{"nearest-along", ARVESK_TEXT("node", "Nearest along")},
               {"topmost-along", ARVESK_TEXT("node", "Topmost along")},
               {"nearest-place", ARVESK_TEXT("node", "Nearest place")}}),
        param("along", &Params::along, ARVESK_TEXT("node", "Direction"),
              ARVESK_TEXT("node", "Straight down and up, or a direction and its opposite."),
              {{"vertical", ARVESK_TEXT("node", "Vertical")}, {"direction", ARVESK_TEXT("node", "Own")}})
            .shown("way", {"nearest-along", "topmost-along"}),
        param("direction", &Params::direction, ARVESK_TEXT("node", "Down is"),
              ARVESK_TEXT("node", "Which way counts as down; topmost is the first place met on it."))
            .hard(-1, 1)
            .usual(-1, 1, 0.05)
            .shown("along", {"direction"}),
        param("reach", &Params::reach, ARVESK_TEXT("node", "Reach"),
              ARVESK_TEXT("node", "How far ground may be away, to either side."))
            .in(Unit::Meter)
            .hard(0.001, 1e5)
            .usual(0.1, 100, 0.5),
        param("sink_by", &Params::sinkBy, ARVESK_TEXT("node", "Sink by"),
              ARVESK_TEXT("node", "Meters, a share of 1 m × the point's size, or a share of how high its prop stands."),
              {{"meters", ARVESK_TEXT("node", "Meters")},
               {"share", ARVESK_TEXT("node", "Share of size")},
               {"height", ARVESK_TEXT("node", "Share of height")}}),
        param("sink", &Params::sink, ARVESK_TEXT("node", "Sink"),
              ARVESK_TEXT("node", "How deep into the ground; below 0 lifts."))
            .in(Unit::Meter)
            .hard(-1e4, 1e4)
            .usual(-1, 1, 0.01)
            .shown("sink_by", {"meters"}),
        param("sink_share", &Params::sinkShare, ARVESK_TEXT("node", "Sink"),
              ARVESK_TEXT("node", "How deep into the ground, as a share; below 0 lifts."))
            .in(Unit::Percent)
            .hard(-1000, 1000)
            .usual(0, 100, 1)
            .shown("sink_by", {"share", "height"}),
        param("misses", &Params::misses, ARVESK_TEXT("node", "Misses"),
              ARVESK_TEXT("node", "What happens to points that find no ground."),
              {{"left-out", ARVESK_TEXT("node", "Left out")}, {"kept", ARVESK_TEXT("node", "Kept")}}),
        amountParam(&Params::amount),
    };
    k.example.spacing = 2.4;
    k.example.isHanging = true;
    putUnder(k.params, ARVESK_TEXT("node", "Reach and misses"), {"reach", "misses"});
    keepsSizes(k);
    carries<Params>(k, [](const Params& p) -> std::optional<Carries> {
      constexpr double kRounding = 0.01;  // m, of a place on a face under the point
      if (p.way != SetDownWay::NearestPlace && p.along == Along::Vertical) return Carries{kRounding, Part::kAll};
      if (p.sinkBy == SinkBy::Height || p.sinkBy == SinkBy::Share) return {};  // sizes are not known here
      const double far = std::max(1.0, static_cast<double>(p.amount) / 100) *
                         static_cast<double>(p.reach + std::abs(p.sink));
      return Carries{far, far};
    });
    k = define<Params>(std::move(k), &evaluate, &sentence);
    explains<Params>(k, &explain);
    return k;
  }();
  return kind;
}

}  // namespace arvesk::nodes
