// Time: 100 frames of 100,000 points under Overshoot, beside a plain loop over the same springs, which has one thread.
#include "benchmarks/bench.h"
#include "core/plan/node_kind.h"

#include <numbers>
#include <random>

namespace arvesk::bench {
namespace {

constexpr std::size_t kCount = 100'000;
constexpr int kFrames = 100;
constexpr double kSeconds = 1.0 / 24;

Points pointsAt(int frame) {
  static const auto base = [] {
    std::mt19937 random(3);
    std::uniform_real_distribution<float> at(0, 400);
    Array<Vec3> position(kCount);
    Array<std::uint64_t> id(kCount);
    for (std::size_t i = 0; i < kCount; ++i) {
      position[i] = Vec3(at(random), at(random) / 40, at(random));
      id[i] = i + 1;
    }
    return std::pair(std::move(position), Column<std::uint64_t>(std::move(id)));
  }();
  Points p;
  p.count = kCount;
  Array<Vec3> position = base.first;
  const float lift = frame > 10 ? 2.0F : 0.0F;
  for (Vec3& v : position) v.y += lift;
  p.position = std::move(position);
  p.id = base.second;
  p.size = Column<Vec3>(Vec3(frame > 20 ? 2.0F : 1.0F));
  p.orientation = Column<Quat>(glm::angleAxis(frame > 30 ? 1.0F : 0.0F, Vec3(0, 1, 0)));
  return p;
}
const std::vector<PointsPtr>& frames() {
  static const std::vector<PointsPtr> all = [] {
    std::vector<PointsPtr> out;
    for (int f = 0; f < kFrames; ++f) out.push_back(std::make_shared<const Points>(pointsAt(f)));
    return out;
  }();
  return all;
}

void overshootNode() {
  const NodeKind& kind = *findNodeKind("overshoot");
  EvalContext ctx;
  ctx.now.isOfTime = true;
  ctx.sinceBefore = kSeconds;
  for (const PointsPtr& points : frames()) {
    Inputs in;
    in.links["points"].push_back({points, 1});
    MemoryPtr after;
    ctx.after = &after;
    auto out = kind.evaluate(ctx, in, {});
    benchmark::DoNotOptimize(out);
    ctx.before = std::move(after);
  }
}

/// Nine numbers a point, integrated by the same closed form, with turns as their axis times angle: no ids, no output.
void plainLoop() {
  const double w = 2 * std::numbers::pi * 2;
  const double a = 0.25 * w;
  const double wd = w * std::sqrt(1 - 0.25 * 0.25);
  const double decay = std::exp(-a * kSeconds);
  const double c = decay * std::cos(wd * kSeconds);
  const double s = decay * std::sin(wd * kSeconds) / wd;
  const double lag = 2 * 0.25 / w;
  struct Spring {
    double target = 0, offset = 0, speed = 0;
  };
  std::vector<std::array<Spring, 9>> all(kCount);
  for (const PointsPtr& points : frames())
    for (std::size_t i = 0; i < kCount; ++i)
      for (std::size_t k = 0; k < 9; ++k) {
        Spring& spring = all[i][k];
        const double target = k < 3   ? static_cast<double>(points->position[i][static_cast<int>(k)])
                              : k < 6 ? static_cast<double>(points->size[i][static_cast<int>(k) - 3])
                                      : static_cast<double>(points->orientation[i].y);
        const double v = (target - spring.target) / kSeconds;
        const double u = spring.offset + lag * v;
        const double du = spring.speed - v;
        spring.offset = (c + a * s) * u + s * du - lag * v;
        spring.speed = -w * w * s * u + (c - a * s) * du + v;
        spring.target = target;
      }
  benchmark::DoNotOptimize(all);
}

}  // namespace

void addTime() {
  (void)frames();
  add({"Overshoot, 100 frames of 100 k", "plain loop over the springs", false, 4, overshootNode, plainLoop});
}

}  // namespace arvesk::bench
