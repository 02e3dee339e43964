// Volumes: what is inside, how deep, and by what skin it ends. Made from surfaces (and then asked of them exactly),
// from the space over a ground, from a density, or from others. Immutable, shared.
#pragma once

#include "core/base/band.h"
#include "core/base/result.h"
#include "core/base/task.h"
#include "core/geometry/surface.h"
#include "core/spatial/body.h"
#include "core/spatial/density.h"

#include <functional>

namespace arvesk {

/// How far a place lies under the skin, and which way the skin is nearest.
struct Depth {
  float meters = 0;   // below 0 outside
  Vec3 outward{kUp};  // unit, from inside to outside
};

/// How deep places lie, found by many threads.
class DepthField {
 public:
  virtual ~DepthField() = default;
  virtual Depth at(const Vec3& place) const = 0;
  /// The depth inside, m; outside at little cost a value that is not below it, and not above 0.
  virtual float roughAt(const Vec3& place) const { return at(place).meters; }
  virtual void countBytes(ByteCounter& counter) const = 0;
};

class Volume;
using VolumePtr = std::shared_ptr<const Volume>;

/// A volume that lies somewhere else: what is inside, how deep, and its lattice are asked of it at rest, so they go
/// along bit for bit.
struct Posed {
  VolumePtr atRest;
  BodyFrame frame;  // of the space at rest
};

class Volume {
 public:
  virtual ~Volume() = default;
  /// Holds all that is inside; empty when nothing is.
  virtual Box3 bounds() const = 0;
  virtual bool isInside(const Vec3& place) const = 0;
  /// Where the whole box lies, at little cost; never wrong.
  virtual Side sideOf(const Box3& box) const = 0;
  /// Looks into this volume and does not keep it: see depthOf.
  virtual std::shared_ptr<const DepthField> depth(const Task& task) const = 0;
  /// Triangles that its skin lies on, of which parts may be buried. Those of what it was made from where the skin is
  /// parallel to them: see isOffset.
  virtual void addSurfaces(std::vector<SurfacePtr>& surfaces) const = 0;
  /// True when its skin does not lie on its surfaces.
  virtual bool isOffset() const { return false; }
  /// True when triangles count as skin though both of their sides are outside: at the rims of open bodies.
  virtual bool hasLooseSkin() const { return false; }
  /// Moved and turned along with what the volume was made of, when that is moved as a whole.
  virtual BodyFrame frame() const = 0;
  /// What it is made of by moving and turning alone; null where it is not.
  virtual const Posed* posed() const { return nullptr; }
  /// See skinOf, which keeps it.
  virtual SurfacePtr makeSkin(const Task& task) const;
  /// How fine it is drawn and made into triangles, m. Nothing else depends on it.
  virtual float voxelSize() const = 0;
  virtual bool hasDensity() const { return false; }
  /// How dense it is inside, where it is a density; null where it is none, and after a cancel.
  virtual DensityPtr density(const Task& task) const {
    (void)task;
    return nullptr;
  }
  virtual void countBytes(ByteCounter& counter) const = 0;

  /// Of one whose surfaces bend (Surface::rest): makes it as it is at rest, whose surfaces are the same, in the same
  /// order. Empty: it does not.
  std::function<Result<VolumePtr>(const Task&)> makeAtRest;
  Derived derived;  // its skin and depth
};

/// The volume, of which nobody else knows yet, with makeAtRest.
inline VolumePtr bending(VolumePtr made, std::function<Result<VolumePtr>(const Task&)> makeAtRest) {
  std::const_pointer_cast<Volume>(made)->makeAtRest = std::move(makeAtRest);
  return made;
}

/// How deep places lie in the volume, which stays with it. Made when asked for the first time; null after a cancel.
std::shared_ptr<const DepthField> depthOf(const VolumePtr& volume, const Task& task);

/// What of the volume's surfaces parts inside from outside, as triangles that look outward. What is buried in part is
/// cut into pieces no longer than a five-hundredth of the body, each of which counts or not. Null after a cancel.
SurfacePtr skinOf(const Volume& volume, const Task& task);

/// Fill, or what lies between two depths; grown outward by `grow` m, or shrunk where that is below 0.
struct SolidRule {
  bool isShell = false;
  Range depths{0, 0.1F};  // m under the (grown) skin
  float grow = 0;         // m; at 0 nothing at all happens
  float voxelSize = 0.1F;
  bool operator==(const SolidRule&) const = default;
};
/// The inside of all `surfaces` together (see Body), which stay with it. One surface that was only moved since a volume
/// of it was made, and is still used, shares all that was made of it. Depths under a grown skin, and over the inner
/// side of a shell, are never more than the true ones: between parts that grew together they are less.
Result<VolumePtr> makeSolid(const std::vector<SurfacePtr>& surfaces, const SolidRule& rule, const Task& task);

struct SpaceRule {
  float from = 0;  // m over the ground
  bool isToLevel = true;
  float level = 0;  // m, world
  float to = 2;     // m over the ground, when it is not to a level
  float voxelSize = 0.5F;
};
/// What lies over faces of the ground that look up, from a height over them to a level or to another height. Where
/// faces lie over each other, what is straight below a place counts; at the rims of what overhangs, depth knows no skin
/// between the heights over the one and over the other.
Result<VolumePtr> makeSpaceOver(SurfacePtr ground, const SpaceRule& rule);

/// What is denser than the density's edge. Its skin, and depths under it, are triangles as fine as its voxels. Without
/// a frame it does not go along with anything.
VolumePtr makeDense(DensityPtr density, const BodyFrame& frame);

enum class CombineWay { Together, Common, Without };
/// Inside of any, of all, or of the first and none of the others. Depths are true where none of them is an offset; else
/// they are never more than the true ones. A density stays one, on the lattice of the first that has one: the larger
/// where they are together, the least of what they share, and what is left of the first.
VolumePtr makeCombined(std::vector<VolumePtr> volumes, CombineWay way, float voxelSize);

}  // namespace arvesk
