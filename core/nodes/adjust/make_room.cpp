// Make room: moves crowded points away from each other, a little at a time.
#include "core/nodes/adjust/effect.h"
#include "core/nodes/footprint_param.h"
#include "core/nodes/registry.h"
#include "core/spatial/ground.h"
#include "core/spatial/point_grid.h"

#include <fmt/format.h>

#include <unordered_map>

namespace arvesk::nodes {
namespace {

enum class RoomBy { Footprint, Spacing };
struct Params {
  RoomBy by = RoomBy::Footprint;
  Footprint room = Footprint::Spread;
  float factor = 1;
  float spacing = 0.5F;
  int rounds = 8;
  float most = 1;
  bool slides = false;
  float pace = 0.5F;
  float amount = 100;
};

/// Where each point stood at the frame before, as far as it had gone from its own place.
struct Gone final : Cached {
  std::unordered_map<std::uint64_t, Vec3> by;  // by id
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this) + by.size() * (sizeof(std::uint64_t) + sizeof(Vec3) + 2 * sizeof(void*)));
  }
};

/// Each goes on from where it was, no faster than the pace: who makes room slides, though the room that it found may
/// jump. What stands still for a while is where it would be without.
void slide(const EvalContext& ctx, const Points& points, const Params& p, Array<Vec3>& position) {
  const auto* before = dynamic_cast<const Gone*>(ctx.before.get());
  auto after = std::make_shared<Gone>();
  const float most = p.pace * static_cast<float>(ctx.sinceBefore);
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

/// One round: every point steps by half of each overlap, all from the same standing, so that order and threads do not
/// matter.
Array<Vec3> stepped(const EvalContext& ctx, const Points& points, const Array<Vec3>& at, const Array<float>& radius,
                    const Array<float>& effect, const Params& p) {
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
      const float limit = p.most * effect[i];
      if (far > limit) moved *= limit / far;
      out[i] = points.position[i] + moved;
    }
  });
  return out;
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  const SurfacePtr ground = in.surface();
  std::shared_ptr<const SurfaceIndex> index;
  if (ground) {
    const auto made = SurfaceIndex::of(*ground);
    if (!made) return Failure(made.error());
    index = *made;
  }
  const Array<float> effect = effectOf(ctx, in.mask("where"), points, p.amount);
  Array<float> radius(points.count);
  const PointsPtr judged = withFootprints(in.points(), p.room);
  for (std::size_t i = 0; i < points.count; ++i)
    radius[i] = p.by == RoomBy::Footprint ? p.factor * judged->effectiveFootprint(i) : 0.5F * p.spacing;
  Array<Vec3> position = points.position.copied(points.count);
  for (int round = 0; round < p.rounds && !ctx.task.isCancelled(); ++round) {
    position = stepped(ctx, points, position, radius, effect, p);
    ctx.task.report(static_cast<float>(round + 1) / static_cast<float>(p.rounds));
  }
  if (ctx.task.isCancelled()) return Failure(cancelled());
  if (p.slides) slide(ctx, points, p, position);
  Points out = points;
  if (index) {
    Array<Vec3> normal = points.groundNormal.copied(points.count);
    Array<std::uint32_t> face = points.groundFace.copied(points.count);
    Array<Vec2> uv = points.groundUv.copied(points.count);
    Array<Vec3> moved = points.movedBy.copied(points.count);
    parallelPieces(ctx.task, points.count, 1024, [&](std::size_t begin, std::size_t end) {
      for (std::size_t i = begin; i < end; ++i) {
        if (position[i] == points.position[i]) continue;  // who stays keeps its own ground, caves and all
        if (const auto found = groundUnder(*ground, *index, position[i])) {
          position[i] = found->position;
          normal[i] = found->normal;
          face[i] = found->face;
          uv[i] = found->uv;
          moved[i] = Vec3(0);
        }
      }
    });
    if (ctx.task.isCancelled()) return Failure(cancelled());
    out.groundNormal = std::move(normal);
    out.groundFace = std::move(face);
    out.groundUv = std::move(uv);
    if (!points.movedBy.isConstant()) out.movedBy = std::move(moved);
  }
  out.position = std::move(position);
  return Outputs{std::make_shared<const Points>(std::move(out))};
}

std::string sentence(const Params& p) {
  return p.by == RoomBy::Footprint ? fmt::format("Make room · {:g} × footprint, {:g} m at most", p.factor, p.most)
                                   : fmt::format("Make room · {:g} m apart, {:g} m at most", p.spacing, p.most);
}

}  // namespace

const NodeKind& makeRoom() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "make-room";
    k.groundFrom = "ground";
    k.family = Family::Adjust;
    k.label = ARVESK_TEXT("node", "Make room");
    k.help = ARVESK_TEXT(
        "node",
        "Moves crowded points away from each other, level, over a few rounds, and at most a distance from where they "
        "were; then sets those that moved down on the connected ground. None is left out. Where several are too many "
        "for "
        "the room they share, overlaps stay: Clearance takes those.");
    k.glyph = "make-room";
    k.synonyms = {"relax", "spread", "push", "repel", "separate"};
    k.inputs = {pointsInput(), groundInput(true), adjustWhereInput()};
    k.outputs = {pointsOutput()};
    k.params = {
        param("by", &Params::by, ARVESK_TEXT("node", "Room"), ARVESK_TEXT("node", "How much each point wants."),
              {{"footprint", ARVESK_TEXT("node", "By footprint")}, {"spacing", ARVESK_TEXT("node", "Spacing")}}),
        footprintIs("footprint_is", &Params::room).shown("by", {"footprint"}),
        param("factor", &Params::factor, ARVESK_TEXT("node", "Factor"), ARVESK_TEXT("node", "On the footprints."))
            .hard(0, 100)
            .usual(0, 3, 0.05)
            .shown("by", {"footprint"}),
        param("spacing", &Params::spacing, ARVESK_TEXT("node", "Spacing"),
              ARVESK_TEXT("node", "Wanted distance between two points."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0, 5, 0.05)
            .shown("by", {"spacing"}),
        param("most", &Params::most, ARVESK_TEXT("node", "At most"),
              ARVESK_TEXT("node", "How far a point may go from where it was."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0, 5, 0.05),
        param("rounds", &Params::rounds, ARVESK_TEXT("node", "Rounds"), ARVESK_TEXT("node", "How often all step."))
            .hard(1, 200)
            .usual(1, 30, 1),
        param("slides", &Params::slides, ARVESK_TEXT("node", "Slide over time"),
              ARVESK_TEXT("node",
                          "In a plan that moves, each goes on from where it was at the frame before, so that "
                          "what needs more room moves aside in place of jumping there. Frames that are missing "
                          "are worked out first.")),
        param("pace", &Params::pace, ARVESK_TEXT("node", "Pace"),
              ARVESK_TEXT("node", "How far it goes in a second, at most."))
            .in(Unit::Meter)
            .hard(0.001, 1e4)
            .usual(0.05, 5, 0.05)
            .shown("slides", {"on"}),
        amountParam(&Params::amount),
    };
    k.remembers = [](const ParamMap& values) {
      const auto slides = values.find("slides");
      return slides != values.end() && slides->second == ParamValue(true);
    };
    k.example.params = {{"by", std::string("spacing")}, {"spacing", 2.6}};
    k.example.spacing = 2.0;
    k.example.joins = {"ground"};
    k.trial.params = {{"by", std::string("spacing")}, {"spacing", 0.7}};
    reaches<Params>(k, [](const Params& p) {
      // n rounds that look d far and step s: n · d + 2 (n − 1) · s is exact.
      const double n = p.rounds;
      const double step = 2 * (n - 1) * static_cast<double>(p.most);
      return p.by == RoomBy::Spacing ? Reach::among(n * static_cast<double>(p.spacing) + step, 0, true)
                                     : Reach::among(step, 2 * n * static_cast<double>(p.factor), true);
    });
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
