// What the tests share: tolerant comparison, made-up grounds and points, plans from a few words, and running one node
// alone.
#pragma once

#include "core/formats/file_service.h"
#include "core/geometry/shapes.h"
#include "core/plan/evaluator.h"

#include <QTemporaryDir>
#include <QTest>

namespace arvesk::test {

/// |actual − expected| ≤ abs + rel · |expected|.
bool within(double actual, double expected, double abs, double rel = 0);

/// A hilly, seeded ground of 2 · n² triangles over `extent` m.
SurfacePtr hills(int n, float extent, std::uint64_t seed);
SurfacePtr plane(float extent, int divisions);
/// A plane that leans by `slopeDeg` about the Z axis.
SurfacePtr leaning(float extent, float slopeDeg);

/// `count` points in a box, seeded, with footprints between two radii, ids 1…count.
Points randomPoints(std::size_t count, const Vec3& extent, float smallest, float largest, std::uint64_t seed);

/// Three props: a box, a ball and a flat plane.
std::vector<PropPtr> someProps();
KitPtr someKit();

/// A context with everything set, for calling a kind's function as the evaluator does, at frame 30. Kinds that remember
/// have seen the same points elsewhere a frame before.
struct Bench {
  EvalContext ctx;
  std::vector<Problem> warnings;
  std::optional<Histogram> histogram;
  std::size_t candidates = 0;
  std::vector<PropPtr> props = someProps();
  std::shared_ptr<FileService> files;

  Bench();
  Result<Outputs> run(const std::string& kindId, const Inputs& inputs, const ParamMap& params = {});
  /// First output as points; fails the test when there are none.
  PointsPtr points(const std::string& kindId, const Inputs& inputs, const ParamMap& params = {});
};

Inputs inputs(std::initializer_list<std::pair<std::string, Value>> values);

/// A mask that is 1 where x is below a limit, soft over one meter.
MaskPtr rampMask(float limit);

/// Files of the repository.
QString sourcePath(const char* relative);
QString binPath(const char* program);

}  // namespace arvesk::test
