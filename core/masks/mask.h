// Masks: functions of place (and of the point's attributes), evaluated wherever they are asked, never stored per
// vertex.
#pragma once

#include "core/base/band.h"
#include "core/base/hash.h"
#include "core/base/task.h"
#include "core/geometry/points.h"
#include "core/geometry/surface.h"

#include <set>

namespace arvesk {

class Mask {
 public:
  virtual ~Mask() = default;
  /// Values at the places begin…end of `at`, into out[0…end − begin). Normally 0 to 1. Called from many threads.
  virtual void values(const Points& at, std::size_t begin, std::size_t end, float* out) const = 0;
  /// What the band is laid over (degrees, m …), where there is such a quantity; false when there is none.
  virtual bool measure(const Points& at, std::size_t begin, std::size_t end, float* out) const;
  /// True only when the mask is 0 or less at every place of the box, so that nobody need be asked there.
  virtual bool isZeroIn(const Box3&) const { return false; }
  /// True when it looks at nothing of a point but its position and id: then a place needs no ground record to be asked.
  virtual bool isOfPlaceAlone() const { return false; }
  /// Adds the names of what it reads of points beyond their place and ground: numbers and texts.
  virtual void addNames(std::set<std::string>& numbers, std::set<std::string>& texts) const {
    (void)numbers;
    (void)texts;
  }
  /// Adds what it holds to look things up: trees, grids, images, surfaces, other masks.
  virtual void countBytes(ByteCounter& counter) const = 0;
  /// Whether it looks things up in space (rays, trees): asked for neighbors one after the other it is several times as
  /// fast.
  virtual bool isSearching() const { return false; }
  /// How many masks lie inside of each other here, this one included.
  virtual int depth() const { return 1; }
};

using MaskPtr = std::shared_ptr<const Mask>;

/// What all masks end with: turned round, then fitted into an output range.
struct MaskFinish {
  bool isInverted = false;
  Range output{0, 1};
  /// What 0 becomes is 0 or less: then a measure that the band leaves out counts nothing.
  bool keepsZero() const { return apply(0) <= 0; }
  float apply(float v) const { return output.from + (output.to - output.from) * (isInverted ? 1 - v : v); }
};

/// Values of a mask at all points, clamped to 0…1, on many threads. Searching masks are asked along a Morton curve; the
/// order of the result is that of the points, and so are the bits.
Array<float> maskValues(const Task& task, const Mask& mask, const Points& at);

/// A mask whose value is a band over a measured quantity.
class BandMask : public Mask {
 public:
  BandMask(Band band, MaskFinish finish) : m_band(band), m_finish(finish) {}
  void values(const Points& at, std::size_t begin, std::size_t end, float* out) const final;
  bool measure(const Points& at, std::size_t begin, std::size_t end, float* out) const override = 0;

 protected:
  /// Does every measure between the two count nothing?
  bool isZeroBetween(float least, float most) const {
    return m_finish.keepsZero() && (most < m_band.fadeIn || least > m_band.fadeOut);
  }

 private:
  Band m_band;
  MaskFinish m_finish;
};

/// Angle between ground normal and up, degrees: of the ground record, or of `ground` straight above or below the point.
MaskPtr makeSlopeMask(SurfacePtr ground, Band bandDeg, MaskFinish finish);

/// Height in m above 0, or 0…1 between the ground's lowest and highest place when `ground` is given.
MaskPtr makeHeightMask(SurfacePtr ground, Band band, MaskFinish finish);

enum class PictureChannel { Brightness, Red, Green, Blue, Alpha };
struct PictureMap {
  bool isByUv = false;
  Vec2 corner{0};  // m, x and z of the picture's left top corner, seen from above
  Vec2 extent{1};  // m
  PictureChannel channel = PictureChannel::Brightness;
  int repeats = 1;     // times over the extent
  bool tiles = false;  // goes on outside; else outside is 0
};
MaskPtr makePictureMask(ImagePtr image, PictureMap map, Band band, MaskFinish finish);

enum class BlendMode { Multiply, Add, Subtract, Larger, Smaller, Average };
MaskPtr makeBlendMask(std::vector<MaskPtr> masks, std::vector<float> weights, BlendMode mode, MaskFinish finish);

/// Slope in degrees of every point, as Keep by slope and the slope mask measure it.
enum class SlopeOf { GroundRecord, OwnUp, Ground };
void measureSlope(const Points& at, SlopeOf of, const Surface* ground, std::size_t begin, std::size_t end,
                  float* outDeg);

}  // namespace arvesk
