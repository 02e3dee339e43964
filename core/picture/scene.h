// What a picture shows: grounds, placements, water, light. Immutable once built; many threads trace it at once.
#pragma once

#include "core/geometry/points.h"
#include "core/geometry/prop.h"
#include "core/masks/mask.h"
#include "core/picture/cut.h"
#include "core/spatial/density.h"
#include "core/spatial/surface_index.h"

namespace arvesk {

struct PictureLight {
  float sunHeadingDeg = 40;  // a compass: 0° north (−Z), 90° east (+X)
  float sunHeightDeg = 38;
  float hazeDistance = 600;              // m
  bool hasSky = true;                    // else a plain background, for thumbnails
  bool isShadeless = false;              // surfaces send their color itself, so that it can be read off a scale
  Vec3 background{0.94F, 0.93F, 0.89F};  // sRGB
  Vec3 sunDirection() const;             // unit, toward the sun
};

struct PictureLayer {
  PointsPtr points;
  bool isGhost = false;     // pale, when another node is in Site
  std::string source = {};  // where it comes from, told back when something of it is picked
};

struct PictureInput {
  std::vector<SurfacePtr> grounds;
  std::vector<PictureLayer> layers;  // points without a prop are not traced; see points.h
  std::vector<DensityPtr> hazes;     // lit, before and behind everything
  std::optional<float> waterLevel;
  PictureLight light;
  bool isMassing = false;  // boxes or simplified meshes with their footprints, in place of props
  /// How far placements move away from the middle of their clump or layer, as a share of their distance. Pieces move
  /// away from what they were broken off, and this from the layer's middle.
  float exploded = 0;
  bool areCutsShown = false;  // of pieces, in a color of their own
  MaskPtr groundMask;         // shown on the ground instead of its colors
};

/// One traced placement or ground: where the ray meets it in its own space, and where it comes from.
struct PictureInstance {
  Mat3 localTurn;  // local = localTurn · world + localMove
  Vec3 localMove;
  std::uint32_t shape;  // index into shapes
  std::uint32_t layer;  // index into the input's layers, or kGround
  std::uint32_t point;  // index into the layer's points, or of the ground
};
inline constexpr std::uint32_t kGround = 0xffffffffU;

struct PictureRayHit {
  float distance = std::numeric_limits<float>::infinity();
  std::uint32_t instance = 0xffffffffU;
  std::uint32_t face = kNoFace;
  Vec2 weights{0};
  bool isHit() const { return face != kNoFace; }
};

/// What rays meet: grounds and placements, without light, water or mask. One user geometry holds all; its callback
/// takes the ray into the prop's space and goes on in the prop's own index. That takes a third of the memory and a
/// quarter of the time that Embree's instances take (architecture.md).
struct TracedScene {
  TracedScene() = default;
  TracedScene(const TracedScene&) = delete;
  TracedScene& operator=(const TracedScene&) = delete;
  Box3 instanceBounds(std::size_t i) const;

  Array<PictureInstance> instances;
  std::vector<SurfacePtr> shapes;
  std::vector<Vec3> meanColors;                              // of the shapes that are placed; linear light
  std::vector<std::shared_ptr<const SurfaceIndex>> indices;  // of the shapes
  EmbreeScene scene;
  std::uint64_t triangles = 0;
  Box3 bounds;
};

class PictureScene {
 public:
  /// `before`: a scene whose traced part is taken over when grounds and placements are the same, so that another light
  /// or mask costs nothing.
  static Result<std::shared_ptr<const PictureScene>> build(PictureInput input, const Task& task,
                                                           const std::shared_ptr<const PictureScene>& before = nullptr);

  /// What a cut hides is not met.
  PictureRayHit first(const Vec3& origin, const Vec3& direction, const Cut* cut = nullptr,
                      float reach = std::numeric_limits<float>::infinity()) const;
  /// The ground under a place or over it, along `up` and within `reach` m, whatever stands on it.
  std::optional<Vec3> groundNear(const Vec3& place, const Vec3& up, float reach) const;
  bool isBlocked(const Vec3& origin, const Vec3& direction, float reach, const Cut* cut = nullptr) const;

  const PictureInput& input() const { return m_input; }
  const PictureInstance& instance(std::uint32_t i) const { return m_traced->instances[i]; }
  const Surface& shape(std::uint32_t i) const { return *m_traced->shapes[i]; }
  const Vec3& meanColor(std::uint32_t shape) const { return m_traced->meanColors[shape]; }
  std::size_t placementCount() const { return m_traced->instances.size() - m_input.grounds.size(); }
  std::uint64_t triangleCount() const { return m_traced->triangles; }
  Box3 bounds() const {
    Box3 out = m_traced->bounds;
    out.add(m_hazeBounds);
    return out;
  }
  Box3 instanceBounds(std::size_t i) const { return m_traced->instanceBounds(i); }

 private:
  PictureScene() = default;

  PictureInput m_input;
  Box3 m_hazeBounds;
  std::shared_ptr<const TracedScene> m_traced;
};

using PictureScenePtr = std::shared_ptr<const PictureScene>;

}  // namespace arvesk
