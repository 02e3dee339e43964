#include "core/plan/riding.h"

#include "core/geometry/faces.h"
#include "core/masks/mask.h"
#include "core/spatial/volume.h"

#include <tbb/task_arena.h>

#include <algorithm>
#include <numeric>

namespace arvesk {
namespace {

/// How a face lies: its normal along Y, its first side along Z.
Quat frameOf(const Surface& s, std::uint32_t face) {
  const UVec3 t = s.triangles[face];
  bool isParallel = false;
  return turnFacing(s.faceNormal(face), directionOr(s.positions[t.y] - s.positions[t.x], Vec3(0)), isParallel);
}

/// A mask that hears of places at rest and is asked where they are now.
class RidingMask final : public Mask {
 public:
  RidingMask(MaskPtr mask, std::shared_ptr<const Carrier> carrier)
      : m_mask(std::move(mask)), m_carrier(std::move(carrier)) {}
  void values(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    const Points now = here(at, begin, end);
    m_mask->values(now, 0, now.count, out);
  }
  bool measure(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    const Points now = here(at, begin, end);
    return m_mask->measure(now, 0, now.count, out);
  }
  void addNames(std::set<std::string>& numbers, std::set<std::string>& texts) const override {
    m_mask->addNames(numbers, texts);
  }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof *this);
    m_mask->countBytes(counter);
    m_carrier->countBytes(counter);
  }
  bool isSearching() const override { return m_mask->isSearching(); }
  int depth() const override { return m_mask->depth(); }

 private:
  Points here(const Points& at, std::size_t begin, std::size_t end) const {
    Array<std::uint32_t> which(end - begin);
    std::iota(which.begin(), which.end(), static_cast<std::uint32_t>(begin));
    return m_carrier->carried({}, gathered(at, which));
  }

  MaskPtr m_mask;
  std::shared_ptr<const Carrier> m_carrier;
};

/// The thing at rest that a kind is to see in place of `now`, and what carries its points; no carrier where nothing
/// bends.
struct AtRestNow {
  Value now;
  Value rest;
  std::shared_ptr<const Carrier> carrier;
};

/// Points that came from where the surface is now, as they would stand on it at rest: clumps about them ride with them.
PointsPtr carriedBack(const Task& task, const PointsPtr& points, const AtRestNow& still) {
  if (const auto* now = std::get_if<SurfacePtr>(&still.now))
    return std::make_shared<const Points>(
        Carrier::near({*now, std::get<SurfacePtr>(still.rest)}).carried(task, *points));
  return points;
}

Result<AtRestNow> atRestOf(const Value& value, const Task& task, bool hasPoints) {
  const auto made = [&](Value rest, Carrier carrier) {
    return AtRestNow{value, std::move(rest), std::make_shared<const Carrier>(std::move(carrier))};
  };
  if (const auto* surface = std::get_if<SurfacePtr>(&value); surface && *surface && !(*surface)->rest.empty()) {
    const SurfacePtr rest = restOf(**surface);
    return made(rest, hasPoints ? Carrier::near({rest, *surface}) : Carrier::on({rest, *surface}));
  }
  if (const auto* volume = std::get_if<VolumePtr>(&value); volume && *volume && (*volume)->makeAtRest) {
    const auto rest = (*volume)->makeAtRest(task);
    if (!rest) return Failure(rest.error());
    std::vector<SurfacePtr> before;
    std::vector<SurfacePtr> now;
    (*rest)->addSurfaces(before);
    (*volume)->addSurfaces(now);
    ARVESK_ASSERT(before.size() == now.size(), "a volume at rest has the surfaces of the one that bends");
    std::vector<Carrier::Bent> bent;
    for (std::size_t i = 0; i < now.size(); ++i) bent.push_back({before[i], now[i]});
    return made(*rest, Carrier::in(std::move(bent)));
  }
  return AtRestNow{};
}

}  // namespace

Carrier::Carrier(std::vector<Bent> surfaces, Trust trust)
    : m_surfaces(std::move(surfaces)), m_indices(std::make_shared<Indices>()), m_trust(trust) {}

Carrier::Hold Carrier::holdOf(const Vec3& place, std::uint32_t record) const {
  const Surface& first = *m_surfaces.front().rest;
  if (m_trust == Trust::None || record >= first.faceCount()) return nearest(place);
  if (m_trust == Trust::All) return {0, record, true};
  const auto awayFrom = [&](std::uint32_t face) {
    const UVec3 v = first.triangles[face];
    const Vec2 w = closestWeights(place, first.positions[v.x], first.positions[v.y], first.positions[v.z]);
    return glm::distance(place, first.positionAt(face, w));
  };
  constexpr float kSame = 1e-3F;  // m
  const float away = awayFrom(record);
  if (away <= kSame) return {0, record, true};
  const Hold hold = nearest(place);  // the record is of another ground, or of a place it has left
  return hold.face != kNoFace && awayFrom(hold.face) * 2 < away ? hold : Hold{0, record, true};
}

Carrier::Hold Carrier::nearest(const Vec3& place) const {
  tbb::this_task_arena::isolate([&] {  // who waits here must not steal what asks for the same
    std::call_once(m_indices->once, [&] {
      for (const Bent& s : m_surfaces) {
        auto index = SurfaceIndex::of(*s.rest);
        m_indices->all.push_back(index ? std::move(*index) : nullptr);
      }
    });
  });
  Hold best;
  float distance = std::numeric_limits<float>::infinity();
  for (std::size_t s = 0; s < m_indices->all.size(); ++s) {
    if (!m_indices->all[s]) continue;
    const SurfaceHit hit = m_indices->all[s]->nearest(place, distance);
    if (!hit.isHit() || hit.distance >= distance) continue;
    distance = hit.distance;
    best = {s, hit.face};
  }
  return best;
}

Points Carrier::carried(const Task& task, Points points) const {
  const std::size_t count = points.count;
  Array<Vec3> position(count);
  Array<Quat> orientation(count);
  Array<Vec3> normal(count);
  Array<std::uint32_t> face(count);
  parallelPieces(task, count, 4096, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      const Vec3 place = points.position[i];
      position[i] = place;
      orientation[i] = points.orientation[i];
      normal[i] = points.groundNormal[i];
      face[i] = points.groundFace[i];
      const Hold hold = holdOf(place, face[i]);
      if (hold.face == kNoFace) continue;
      const Surface& rest = *m_surfaces[hold.surface].rest;
      const Surface& now = *m_surfaces[hold.surface].now;
      const UVec3 v = rest.triangles[hold.face];
      const Vec2 w = closestWeights(place, rest.positions[v.x], rest.positions[v.y], rest.positions[v.z]);
      const Quat turn = glm::normalize(frameOf(now, hold.face) * glm::conjugate(frameOf(rest, hold.face)));
      position[i] = now.positionAt(hold.face, w) + turn * (place - rest.positionAt(hold.face, w));
      orientation[i] = glm::normalize(turn * points.orientation[i]);
      normal[i] = hold.isOnIt ? now.normalAt(hold.face, w) : turn * points.groundNormal[i];
    }
  });
  points.position = std::move(position);
  points.orientation = std::move(orientation);
  points.groundNormal = std::move(normal);
  return points;
}

void Carrier::countBytes(ByteCounter& counter) const {
  if (!counter.add(this, sizeof *this)) return;
  for (const Bent& s : m_surfaces) {
    s.rest->countBytes(counter);
    s.now->countBytes(counter);
  }
}

Result<Outputs> evaluateRiding(const NodeKind& kind, const EvalContext& ctx, const Inputs& inputs,
                               const ParamMap& params) {
  // What a hand put somewhere stays there, and goes up and down with the ground.
  const bool isOfHand = std::any_of(kind.params.begin(), kind.params.end(),
                                    [](const ParamSpec& spec) { return spec.type == ParamType::Points; });
  if (kind.family != Family::Scatter || isOfHand) return kind.evaluate(ctx, inputs, params);
  const bool hasPoints = std::any_of(kind.inputs.begin(), kind.inputs.end(),
                                     [](const InputSpec& spec) { return spec.type == ValueType::Points; });
  AtRestNow still;
  for (const InputSpec& spec : kind.inputs) {
    const Value* value = inputs.first(spec.id);
    if (!value || still.carrier) continue;
    auto found = atRestOf(*value, ctx.task, hasPoints);
    if (!found) return Failure(found.error());
    still = std::move(*found);
  }
  if (!still.carrier) return kind.evaluate(ctx, inputs, params);
  // At rest the part is another place: all is made there, and what was carried elsewhere is cut off afterwards. What
  // looks at surroundings needs all of them, as nobody knows how far they are bent apart.
  if (!ctx.known.isAll()) ctx.askWider(Part::kAll);
  EvalContext everywhere = ctx;
  everywhere.part = everywhere.known = {};
  Inputs atRest = inputs;
  for (auto& [id, links] : atRest.links)
    for (Inputs::Link& link : links) {
      if (auto* mask = std::get_if<MaskPtr>(&link.value); mask && *mask)
        *mask = std::make_shared<const RidingMask>(*mask, still.carrier);
      if (auto* points = std::get_if<PointsPtr>(&link.value); points && *points)
        *points = carriedBack(ctx.task, *points, still);
      if (link.value == still.now) link.value = still.rest;
    }
  auto outputs = kind.evaluate(everywhere, atRest, params);
  if (!outputs) return outputs;
  for (Value& value : *outputs)
    if (auto* points = std::get_if<PointsPtr>(&value); points && *points)
      *points = std::make_shared<const Points>(still.carrier->carried(ctx.task, **points));
  if (ctx.task.isCancelled()) return Failure(cancelled());
  return outputs;
}

}  // namespace arvesk
