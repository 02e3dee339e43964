// The skin of a volume: those parts of its surfaces that part inside from outside.
#include "core/spatial/skin.h"

#include "core/spatial/coherent_nearest.h"

#include <algorithm>
#include <array>
#include <atomic>

namespace arvesk {
namespace {

constexpr float kCoarse = 1.0F / 16;  // of the body's longest extent: a piece is that small before it is believed
constexpr float kFine = 1.0F / 500;   // a piece is never cut below that

using Triangle = std::array<Vec3, 3>;

/// Which parts of one triangle count.
class Cutter {
 public:
  Cutter(const Volume& volume, float extent, Array<Vec3>& out)
      : m_volume(volume), m_extent(extent), m_isLooseKept(volume.hasLooseSkin()), m_out(out) {}

  /// True when all of it counts, as it is.
  bool add(const Triangle& t) {
    const Vec3 normal = glm::cross(t[1] - t[0], t[2] - t[0]);
    const float length = glm::length(normal);
    if (!(length > 0)) return false;
    m_normal = normal / length;
    m_turns = 0;
    const bool isAll = cut(t) == What::All;
    if (isAll) emit(t);
    return isAll && m_turns <= 0;
  }

 private:
  enum class What { None, All, Some };

  /// Is the place skin? Its two sides are asked a hair away, well above what rounding does.
  bool isSkin(const Vec3& place) {
    const float hair = 4e-6F * std::max({std::abs(place.x), std::abs(place.y), std::abs(place.z), 0.1F * m_extent});
    const bool isIn = m_volume.isInside(place - hair * m_normal);
    const bool isOut = m_volume.isInside(place + hair * m_normal);
    m_turns += (isOut ? 1 : 0) - (isIn ? 1 : 0);
    return m_isLooseKept ? !(isIn && isOut) : isIn != isOut;
  }

  What cut(const Triangle& t) {
    const float edge = std::max({glm::distance(t[0], t[1]), glm::distance(t[1], t[2]), glm::distance(t[2], t[0])});
    const Vec3 middle = (t[0] + t[1] + t[2]) / 3.0F;
    const bool is = isSkin(middle);
    if (edge <= kFine * m_extent) return is ? What::All : What::None;
    if (edge <= kCoarse * m_extent &&
        std::all_of(t.begin(), t.end(), [&](const Vec3& c) { return isSkin(glm::mix(c, middle, 0.05F)) == is; }))
      return is ? What::All : What::None;
    const Vec3 ab = 0.5F * (t[0] + t[1]);
    const Vec3 bc = 0.5F * (t[1] + t[2]);
    const Vec3 ca = 0.5F * (t[2] + t[0]);
    const std::array<Triangle, 4> parts{Triangle{t[0], ab, ca}, {ab, t[1], bc}, {ca, bc, t[2]}, {ab, bc, ca}};
    std::array<What, 4> of{};
    for (std::size_t i = 0; i < parts.size(); ++i) of[i] = cut(parts[i]);
    const auto areAll = [&](What what) {
      return std::all_of(of.begin(), of.end(), [what](What w) { return w == what; });
    };
    if (areAll(What::All)) return What::All;  // as one again
    if (areAll(What::None)) return What::None;
    for (std::size_t i = 0; i < parts.size(); ++i)
      if (of[i] == What::All) emit(parts[i]);
    return What::Some;
  }

  void emit(const Triangle& t) {
    m_out.push_back(t[0]);
    m_out.push_back(t[m_turns > 0 ? 2 : 1]);
    m_out.push_back(t[m_turns > 0 ? 1 : 2]);
  }

  const Volume& m_volume;
  float m_extent;
  bool m_isLooseKept;
  Vec3 m_normal{0};
  int m_turns = 0;  // above 0: inside is where it looks to
  Array<Vec3>& m_out;
};

/// Depth by the nearest place of the skin, its sign by what is inside.
class SkinDepth final : public DepthField {
 public:
  SkinDepth(const Volume& volume, SurfacePtr skin, std::shared_ptr<const SurfaceIndex> index)
      : m_volume(volume), m_skin(std::move(skin)), m_nearest(std::move(index)) {}

  Depth at(const Vec3& place) const override {
    const bool isInside = m_volume.isInside(place);
    const SurfaceHit hit = m_nearest.at(place);
    if (!hit.isHit()) return {isInside ? 0 : std::numeric_limits<float>::lowest(), kUp};
    const Vec3 toSkin = m_skin->positionAt(hit.face, hit.weights) - place;
    const Vec3 face = m_skin->faceNormal(hit.face);
    if (hit.distance < 1e-6F * glm::length(place)) return {isInside ? hit.distance : -hit.distance, face};
    return {isInside ? hit.distance : -hit.distance, directionOr(isInside ? toSkin : -toSkin, face)};
  }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    m_skin->countBytes(counter);
  }

 private:
  const Volume& m_volume;
  SurfacePtr m_skin;
  CoherentNearest m_nearest;
};

}  // namespace

SurfacePtr Volume::makeSkin(const Task& task) const {
  std::vector<SurfacePtr> surfaces;
  addSurfaces(surfaces);
  Box3 box = bounds();
  const Vec3 size = box.extent();
  const float extent = std::max({size.x, size.y, size.z});
  box = {box.min - 1e-3F * extent, box.max + 1e-3F * extent};
  Surface skin;
  Array<Vec3> corners;
  std::atomic<bool> isWhole{true};
  for (const SurfacePtr& surface : surfaces) {
    constexpr std::size_t kPiece = 256;
    std::vector<Array<Vec3>> parts((surface->faceCount() + kPiece - 1) / kPiece);
    parallelPieces(task, surface->faceCount(), kPiece, [&](std::size_t begin, std::size_t end) {
      Array<Vec3>& part = parts[begin / kPiece];
      Cutter cutter(*this, extent, part);
      for (std::size_t f = begin; f < end; ++f) {
        const UVec3 t = surface->triangles[f];
        const Triangle triangle{surface->positions[t.x], surface->positions[t.y], surface->positions[t.z]};
        Box3 around;
        for (const Vec3& c : triangle) around.add(c);
        if (glm::any(glm::lessThan(around.max, box.min)) || glm::any(glm::greaterThan(around.min, box.max))) continue;
        if (!cutter.add(triangle)) isWhole = false;
      }
    });
    if (task.isCancelled()) return nullptr;
    for (const Array<Vec3>& part : parts) corners.insert(corners.end(), part.begin(), part.end());
  }
  // Nothing of it buried and all of it turned outward: it is its own skin, with what is made of it already.
  if (surfaces.size() == 1 && isWhole && corners.size() == 3 * surfaces.front()->faceCount()) return surfaces.front();
  Array<UVec3> triangles(corners.size() / 3);
  for (std::uint32_t f = 0; f < triangles.size(); ++f) triangles[f] = UVec3(3 * f, 3 * f + 1, 3 * f + 2);
  skin.positions = std::move(corners);
  skin.triangles = std::move(triangles);
  return std::make_shared<const Surface>(std::move(skin));
}

std::shared_ptr<const DepthField> depthOf(const VolumePtr& volume, const Task& task) {
  struct Both {
    VolumePtr volume;
    std::shared_ptr<const DepthField> depth;
  };
  const auto both = std::make_shared<const Both>(Both{volume, volume->depth(task)});
  return both->depth ? std::shared_ptr<const DepthField>(both, both->depth.get()) : nullptr;
}

SurfacePtr skinOf(const Volume& volume, const Task& task) {
  return volume.derived.get<Surface>([&] { return volume.makeSkin(task); });
}

std::shared_ptr<const DepthField> skinDepthOf(const Volume& volume, const Task& task) {
  return volume.derived.get<DepthField>([&]() -> std::shared_ptr<const DepthField> {
    SurfacePtr skin = skinOf(volume, task);
    if (!skin) return nullptr;
    auto index = SurfaceIndex::of(*skin);
    return index ? std::make_shared<const SkinDepth>(volume, std::move(skin), *index) : nullptr;
  });
}

}  // namespace arvesk
