#include "core/spatial/posed.h"

#include "core/spatial/surface_index.h"

#include <array>
#include <bit>
#include <cstring>
#include <mutex>
#include <unordered_map>

namespace arvesk {
namespace {

class PosedDepth final : public DepthField {
 public:
  PosedDepth(std::shared_ptr<const DepthField> atRest, const BodyFrame& frame)
      : m_atRest(std::move(atRest)), m_frame(frame) {}
  Depth at(const Vec3& place) const override {
    const Depth d = m_atRest->at(Vec3(m_frame.toOwn(place)));
    return {d.meters, m_frame.turned(d.outward)};
  }
  float roughAt(const Vec3& place) const override { return m_atRest->roughAt(Vec3(m_frame.toOwn(place))); }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    m_atRest->countBytes(counter);
  }

 private:
  std::shared_ptr<const DepthField> m_atRest;
  BodyFrame m_frame;
};

Box3 usedBoundsOf(const Surface& surface) {
  Box3 box;
  for (const UVec3& t : surface.triangles)
    for (int k = 0; k < 3; ++k) box.add(surface.positions[t[k]]);
  return box;
}

class PosedVolume final : public Volume {
 public:
  PosedVolume(VolumePtr atRest, SurfacePtr surface)
      : m_posed{std::move(atRest), surface->atRest.frame}, m_surface(std::move(surface)) {
    const Box3 own = m_posed.atRest->bounds();
    if (own.isEmpty()) return;
    m_bounds = m_posed.frame.toWorld(DVec3(own.min), DVec3(own.max));
    // Around the surface itself: closer than around a turned box. What grew reaches as far over it.
    Box3 before;
    for (const UVec3& t : m_surface->triangles)
      for (int k = 0; k < 3; ++k) before.add(m_surface->atRest.positions[t[k]]);
    const Vec3 over = glm::max(before.min - own.min, own.max - before.max);
    const float out = std::max({over.x, over.y, over.z, 0.0F});
    const Box3 around = usedBoundsOf(*m_surface);
    m_bounds = withRounding({glm::max(m_bounds.min, around.min - out), glm::min(m_bounds.max, around.max + out)});
  }
  Box3 bounds() const override { return m_bounds; }
  bool isInside(const Vec3& place) const override {
    return isFinite(place) && m_posed.atRest->isInside(Vec3(m_posed.frame.toOwn(place)));
  }
  Side sideOf(const Box3& box) const override {
    const Box3 own = m_posed.frame.reversed().toWorld(DVec3(box.min), DVec3(box.max));
    return m_posed.atRest->sideOf(withRounding(own));
  }
  std::shared_ptr<const DepthField> depth(const Task& task) const override {
    return derived.get<DepthField>([&]() -> std::shared_ptr<const DepthField> {
      auto depth = m_posed.atRest->depth(task);
      return depth ? std::make_shared<const PosedDepth>(std::move(depth), m_posed.frame) : nullptr;
    });
  }
  void addSurfaces(std::vector<SurfacePtr>& surfaces) const override { surfaces.push_back(m_surface); }
  bool isOffset() const override { return m_posed.atRest->isOffset(); }
  bool hasLooseSkin() const override { return m_posed.atRest->hasLooseSkin(); }
  BodyFrame frame() const override { return m_posed.frame.of(m_posed.atRest->frame()); }
  const Posed* posed() const override { return &m_posed; }
  SurfacePtr makeSkin(const Task& task) const override {
    const SurfacePtr skin = skinOf(*m_posed.atRest, task);
    if (!skin) return nullptr;
    // All of the surface, as it is.
    if (skin->positions.isSharedWith(m_surface->atRest.positions)) return m_surface;
    return posedSurface(*skin, m_posed.frame);
  }
  float voxelSize() const override { return m_posed.atRest->voxelSize(); }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    m_posed.atRest->countBytes(counter);
    m_surface->countBytes(counter);
    derived.countBytes(counter);
  }

 private:
  Posed m_posed;
  SurfacePtr m_surface;
  Box3 m_bounds;
};

class RememberedDepth final : public DepthField {
 public:
  explicit RememberedDepth(std::shared_ptr<const DepthField> depth) : m_depth(std::move(depth)) {}
  Depth at(const Vec3& place) const override {
    const std::uint64_t hash = hashOf(std::bit_cast<std::uint32_t>(place.x), std::bit_cast<std::uint32_t>(place.y),
                                      std::bit_cast<std::uint32_t>(place.z));
    Shard& shard = m_shards[hash % m_shards.size()];
    {
      const std::lock_guard lock(shard.mutex);
      if (const auto found = shard.known.find(hash); found != shard.known.end() && found->second.place == place)
        return found->second.depth;
    }
    const Depth depth = m_depth->at(place);
    const std::lock_guard lock(shard.mutex);
    if (shard.known.size() < kPerShard) shard.known.emplace(hash, Known{place, depth});
    return depth;
  }
  float roughAt(const Vec3& place) const override { return m_depth->roughAt(place); }
  void countBytes(ByteCounter& counter) const override {
    constexpr std::size_t kNode = sizeof(Known) + 4 * sizeof(void*);  // with its bucket and heap head, about
    std::size_t known = 0;
    for (Shard& shard : m_shards) {
      const std::lock_guard lock(shard.mutex);
      known += shard.known.size();
    }
    counter.add(this, sizeof(*this) + known * kNode);
    m_depth->countBytes(counter);
  }

 private:
  static constexpr std::size_t kPerShard = 1024;
  struct Known {
    Vec3 place{0};
    Depth depth;
  };
  struct Shard {
    std::mutex mutex;
    std::unordered_map<std::uint64_t, Known> known;
  };
  std::shared_ptr<const DepthField> m_depth;
  mutable std::array<Shard, 256> m_shards;
};

/// Solids at rest that something still uses.
struct Used {
  std::uint64_t key = 0;
  std::weak_ptr<const Surface> surface;
  SolidRule rule;
  std::weak_ptr<const Volume> solid;
};

template <typename T>
bool areSame(const SharedArray<T>& a, const SharedArray<T>& b) {
  return a.isSharedWith(b) || (a.size() == b.size() && std::memcmp(a.data(), b.data(), a.size() * sizeof(T)) == 0);
}

template <typename T>
std::uint64_t keyOf(const SharedArray<T>& values) {
  static_assert(sizeof(T) == 3 * sizeof(std::uint32_t));
  std::uint64_t key = values.size();
  for (const T& v : values) {
    std::uint32_t bits[3];
    std::memcpy(bits, &v, sizeof(bits));
    key = mix64(key ^ bits[0] ^ static_cast<std::uint64_t>(bits[1]) << 32) + bits[2];
  }
  return key;
}

}  // namespace

VolumePtr makePosed(VolumePtr atRest, SurfacePtr surface) {
  return std::make_shared<const PosedVolume>(std::move(atRest), std::move(surface));
}

std::shared_ptr<const DepthField> rememberedDepthOf(const VolumePtr& atRest, const Task& task) {
  return atRest->derived.get<RememberedDepth>([&]() -> std::shared_ptr<const RememberedDepth> {
    auto depth = atRest->depth(task);  // which lives as long as the volume, as this does
    return depth ? std::make_shared<const RememberedDepth>(std::move(depth)) : nullptr;
  });
}

SurfacePtr posedSurface(const Surface& atRest, const BodyFrame& frame) {
  const auto out = std::make_shared<Surface>(atRest);
  for (Vec3& p : out->positions.edit()) p = frame.toWorld(DVec3(p));
  for (Vec3& n : out->normals.edit()) n = frame.turned(n);
  out->atRest = AtRest(atRest.positions, frame);
  return out;
}

Result<VolumePtr> solidAtRest(const Surface& surface, const SolidRule& rule,
                              const std::function<Result<VolumePtr>(const SurfacePtr& atRest)>& make) {
  static std::mutex mutex;
  static std::vector<Used> all;
  const SharedArray<Vec3>& positions = surface.atRest.positions;
  const std::uint64_t key = keyOf(positions) ^ mix64(keyOf(surface.triangles));
  {
    const std::lock_guard lock(mutex);
    for (const Used& used : all) {
      if (used.key != key || used.rule != rule) continue;
      const auto solid = used.solid.lock();
      const auto before = used.surface.lock();
      if (solid && before && areSame(before->positions, positions) && areSame(before->triangles, surface.triangles))
        return solid;
    }
  }
  Surface before;
  before.name = surface.name;
  before.positions = positions;
  before.triangles = surface.triangles;
  const auto atRest = std::make_shared<const Surface>(std::move(before));
  auto solid = make(atRest);
  if (!solid) return solid;
  const std::lock_guard lock(mutex);
  std::erase_if(all, [](const Used& used) { return used.solid.expired(); });
  all.push_back({key, atRest, rule, *solid});
  return solid;
}

}  // namespace arvesk
