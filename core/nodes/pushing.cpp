#include "core/nodes/pushing.h"

#include "core/spatial/point_grid.h"

#include <unordered_map>

namespace arvesk::nodes {
namespace {

/// Where each point stood at the frame before, as far as it had gone from its own place.
struct Gone final : Cached {
  std::unordered_map<std::uint64_t, Vec3> by;  // by id
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this) + by.size() * (sizeof(std::uint64_t) + sizeof(Vec3) + 2 * sizeof(void*)));
  }
};

/// One round.
Array<Vec3> stepped(const EvalContext& ctx, const Points& points, const Array<Vec3>& at, const Array<float>& radius,
                    const Array<float>& effect, float most) {
  Array<PointGrid::Entry> entries(points.count);
  float largest = 0;
  for (std::size_t i = 0; i < points.count; ++i) {
    entries[i] = {at[i], radius[i], static_cast<std::uint32_t>(i)};
    largest = std::max(largest, radius[i]);
  }
  const PointGrid grid(entries, std::max(2 * largest, 1e-3F));
  Array<Vec3> out(points.count);
  parallelPieces(ctx.task, points.count, 1024, [&](std::size_t begin, std::size_t end) {
    struct Push {
      std::uint64_t id;
      Vec3 by;
    };
    std::vector<Push> pushes;
    for (std::size_t i = begin; i < end; ++i) {
      pushes.clear();
      grid.near(at[i], radius[i] + largest, [&](const PointGrid::Entry& e) {
        if (e.index == i) return false;
        Vec3 apart = at[i] - e.position;
        // Apart as seen from above, but only where they are near in height too: what the grid happens to offer (it goes
        // by the largest of all) must not decide.
        if (std::abs(apart.y) >= radius[i] + e.radius) return false;
        apart.y = 0;
        const float distance = glm::length(apart);
        const float overlap = radius[i] + e.radius - distance;
        if (overlap <= 0) return false;
        // Two points at one place part along a direction that both know: from the lower id to the higher.
        const std::uint64_t pair = points.id[i] ^ points.id[e.index];
        const float angle = 2 * kPi * unitFloat(mix64(pair));
        const Vec3 way = distance > 1e-6F ? apart / distance
                                          : (points.id[i] > points.id[e.index] ? 1.0F : -1.0F) *
                                                Vec3(std::sin(angle), 0, std::cos(angle));
        pushes.push_back({points.id[e.index], 0.5F * overlap * way});
        return false;
      });
      // Sums of floats depend on their order: by id, and each neighbor once though a cell may be visited twice.
      std::sort(pushes.begin(), pushes.end(), [](const Push& a, const Push& b) { return a.id < b.id; });
      Vec3 sum(0);
      for (std::size_t k = 0; k < pushes.size(); ++k)
        if (k == 0 || pushes[k].id != pushes[k - 1].id) sum += pushes[k].by;
      Vec3 moved = at[i] + sum * std::min(1.0F, effect[i]) - points.position[i];
      moved.y = 0;
      const float far = glm::length(moved);
      const float limit = most * effect[i];
      if (far > limit) moved *= limit / far;
      out[i] = points.position[i] + moved;
    }
  });
  return out;
}

}  // namespace

Array<Vec3> pushedApart(const EvalContext& ctx, const Points& points, const Array<float>& radius,
                        const Array<float>& effect, const Pushing& how) {
  Array<Vec3> position = points.position.copied(points.count);
  for (int round = 0; round < how.rounds && !ctx.task.isCancelled(); ++round) {
    position = stepped(ctx, points, position, radius, effect, how.most);
    ctx.task.report(static_cast<float>(round + 1) / static_cast<float>(how.rounds));
  }
  return position;
}

void slideOn(const EvalContext& ctx, const Points& points, float pace, Array<Vec3>& position) {
  const auto* before = dynamic_cast<const Gone*>(ctx.before.get());
  auto after = std::make_shared<Gone>();
  const float most = pace * static_cast<float>(ctx.sinceBefore);
  for (std::size_t i = 0; i < points.count; ++i) {
    endIfStoppedAt(i);
    Vec3 gone = position[i] - points.position[i];
    if (before)
      if (const auto was = before->by.find(points.id[i]); was != before->by.end()) {
        const Vec3 way = gone - was->second;
        const float far = glm::length(way);
        if (far > most) gone = was->second + way * (most / far);
      }
    position[i] = points.position[i] + gone;
    after->by.emplace(points.id[i], gone);
  }
  if (ctx.after) *ctx.after = std::move(after);
}

}  // namespace arvesk::nodes
