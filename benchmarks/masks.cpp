// Every mask: a million evaluations beside a plain loop of the same sum, or beside the bare library that it rests on;
// one thread each.
#include "benchmarks/bench.h"
#include "core/base/formula.h"
#include "core/masks/place_masks.h"
#include "core/masks/point_masks.h"
#include "core/plan/node_kind.h"
#include "core/spatial/surface_index.h"

#include <embree3/rtcore.h>
#include <muParser.h>
#include <nanoflann.hpp>

#include <cmath>

namespace arvesk::bench {
namespace {

constexpr std::size_t kCount = 1'000'000;
constexpr float kExtent = 96;
const Band kBand{0.1F, 0.3F, 0.6F, 0.9F};

/// Places on the ground in random order, with a ground record and a number.
PointsPtr places(const SurfacePtr& surface, std::size_t count) {
  Points p = points(count, kExtent, 0.1F, 0.2F);
  const auto index = SurfaceIndex::of(*surface);
  Array<Vec3> position(count);
  Array<Vec3> normal(count);
  Array<float> number(count);
  for (std::size_t i = 0; i < count; ++i) {
    const Vec3 from = p.position[i] - Vec3(kExtent / 2, -50, kExtent / 2);
    const SurfaceHit hit = (*index)->first(from, -kUp, 200);
    position[i] = hit.isHit() ? from - kUp * hit.distance : from;
    normal[i] = hit.isHit() ? surface->normalAt(hit.face, hit.weights) : kUp;
    number[i] = unitFloat(hashOf(p.id[i], 1ULL));
  }
  p.position = std::move(position);
  p.groundNormal = std::move(normal);
  p.attributes.emplace("wet", Column<float>(std::move(number)));
  return std::make_shared<const Points>(std::move(p));
}

struct Cloud {
  const Array<Vec3>& positions;
  std::size_t kdtree_get_point_count() const { return positions.size(); }
  float kdtree_get_pt(std::size_t i, std::size_t axis) const { return positions[i][static_cast<int>(axis)]; }
  template <typename Box>
  bool kdtree_get_bbox(Box&) const {
    return false;
  }
};
using KdTree = nanoflann::KDTreeSingleIndexAdaptor<nanoflann::L2_Simple_Adaptor<float, Cloud>, Cloud, 3, std::uint32_t>;

struct Forest {
  Array<Vec3> positions;
  Cloud cloud{positions};
  std::unique_ptr<KdTree> tree;
};

void addMask(const std::string& name, const std::string& baseline, double limit, const MaskPtr& mask,
             const PointsPtr& at, std::function<float(const Points&, std::size_t)> plain) {
  add({"Mask " + name, baseline, false, limit,
       [mask, at] { withThreads(1, [&] { benchmark::DoNotOptimize(maskValues({}, *mask, *at)); }); },
       [plain = std::move(plain), at] {
         Array<float> out(at->count);
         for (std::size_t i = 0; i < at->count; ++i) out[i] = std::clamp(plain(*at, i), 0.0F, 1.0F);
         benchmark::DoNotOptimize(out.data());
       }});
}

constexpr const char* kLoop = "plain loop of the same sum";

/// What a point itself carries.
void addPointMasks(const PointsPtr& at) {
  const auto angle = [](const Vec3& a, const Vec3& b) { return degrees(angleBetween(a, b)); };
  const Vec3 east(1, 0, 0);
  addMask("slope", kLoop, 1.5, makeSlopeMask(nullptr, {0, 5, 20, 30}, {}), at, [angle](const Points& p, std::size_t i) {
    return Band{0, 5, 20, 30}.weight(angle(p.groundNormal[i], kUp));
  });
  addMask("facing", kLoop, 1.5, makeFacingMask(nullptr, east, false, {0, 0, 60, 90}, {}), at,
          [=](const Points& p, std::size_t i) {
            return Band{0, 0, 60, 90}.weight(angle(p.groundNormal[i], east));
          });
  addMask("height", kLoop, 1.5, makeHeightMask(nullptr, {-1, 0, 1, 2}, {}), at, [](const Points& p, std::size_t i) {
    return Band{-1, 0, 1, 2}.weight(p.position[i].y);
  });
  addMask("attribute", kLoop, 1.5, makeNumberMask("wet", 0, kBand, {}), at, [](const Points& p, std::size_t i) {
    return kBand.weight((*columnOf<Column<float>>(p.attributes, "wet"))[i]);
  });
  const Draw draw(3, 4, 5, "value");
  addMask("random", kLoop, 1.5, makeRandomMask(draw, DrawPer::Point, kBand, {}), at,
          [draw](const Points& p, std::size_t i) { return kBand.weight(draw.unit(p.id[i])); });
}

/// Where a point stands, and sums of other masks.
void addPlaceMasks(const PointsPtr& at) {
  Image picture{512, 512, 1, 8, Array<float>(512 * 512, 0.0F), {}};
  for (std::size_t i = 0; i < picture.values.size(); ++i) picture.values[i] = unitFloat(hashOf(i, 3ULL));
  const auto image = std::make_shared<const Image>(std::move(picture));
  PictureMap map;
  map.corner = Vec2(-50);
  map.extent = Vec2(100);
  addMask("picture", kLoop, 1.5, makePictureMask(image, map, kBand, {}), at, [image](const Points& p, std::size_t i) {
    return kBand.weight(image->sampled((p.position[i].x + 50) / 100, (p.position[i].z + 50) / 100, 0));
  });

  const Region region{RegionShape::Ball, Vec3(0), Vec3(60), Quat(1, 0, 0, 0), 8};
  addMask("region", kLoop, 2, makeRegionMask(region, {}), at, [](const Points& p, std::size_t i) {
    return Band{0, 8, 1e9F, 1e9F}.weight((1 - glm::length(p.position[i] / 30.0F)) * 30);
  });
  const auto wave = makeNumberMask("wet", 0, {0, 1, 1, 1}, {});
  const auto heights = makeHeightMask(nullptr, {-3, 3, 1e6F, 1e6F}, {});
  addMask("blend of two", kLoop, 2, makeBlendMask({wave, heights}, {1, 1}, BlendMode::Multiply, {}), at,
          [](const Points& p, std::size_t i) {
            return (*columnOf<Column<float>>(p.attributes, "wet"))[i] * Band{-3, 3, 1e6F, 1e6F}.weight(p.position[i].y);
          });
  const CurveShape curve{{{0, 0}, {0.3F, 0.6F}, {0.7F, 0.4F}, {1, 1}}};
  addMask("curve", kLoop, 1.5, makeCurveMask(wave, curve, {}), at, [curve](const Points& p, std::size_t i) {
    return curve.at((*columnOf<Column<float>>(p.attributes, "wet"))[i]);
  });

  // A hundred dabs, of which a place sees a few: the plain loop asks all of them.
  Strokes strokes;
  for (int k = 0; k < 100; ++k)
    strokes.dabs.push_back({at->position[static_cast<std::size_t>(k) * 977], 3, k % 4 ? 0.7F : -0.5F, 0.5F});
  addMask("painted, 100 dabs", kLoop, 1.3, makePaintedMask(strokes, {}), at, [strokes](const Points& p, std::size_t i) {
    float value = 0;
    for (const Dab& d : strokes.dabs) {
      const float r = glm::distance(p.position[i], d.place) / d.radius;
      if (r >= 1) continue;
      const float t = std::clamp((1 - r) / d.softness, 0.0F, 1.0F);
      const float w = std::abs(d.strength) * t * t * (3 - 2 * t);
      value += ((d.strength > 0 ? 1.0F : 0.0F) - value) * w;
    }
    return value;
  });
}

/// Expression beside muParser's own bulk mode on columns that are there already.
void addExpressionMask(const PointsPtr& at) {
  const auto formula = Formula::compile("0.5 + 0.5 * sin(x * 0.3) * wet + min(y, 1) * 0.1");
  auto columns = std::make_shared<std::array<std::vector<double>, 3>>();
  for (std::size_t i = 0; i < kCount; ++i) {
    (*columns)[0].push_back(static_cast<double>(at->position[i].x));
    (*columns)[1].push_back(static_cast<double>((*columnOf<Column<float>>(at->attributes, "wet"))[i]));
    (*columns)[2].push_back(static_cast<double>(at->position[i].y));
  }
  const MaskPtr expression = makeFormulaMask(*formula, {}, {});
  add({"Mask expression", "muParser's bulk mode", true, 0.8,
       [expression, at] { withThreads(1, [&] { benchmark::DoNotOptimize(maskValues({}, *expression, *at)); }); },
       [columns] {
         mu::Parser parser;
         parser.DefineVar("x", (*columns)[0].data());
         parser.DefineVar("wet", (*columns)[1].data());
         parser.DefineVar("y", (*columns)[2].data());
         parser.SetExpr("0.5 + 0.5 * sin(x * 0.3) * wet + min(y, 1) * 0.1");
         std::vector<double> out(kCount);
         parser.Eval(out.data(), static_cast<int>(kCount));
         benchmark::DoNotOptimize(out.data());
       }});
}

/// Distance and Crowding beside nanoflann on sorted places; ours gets them in random order and sorts them itself.
void addNeighborMasks(const SurfacePtr& surface, const PointsPtr& at) {
  const PointsPtr others = places(surface, 100'000);
  auto forest = std::make_shared<Forest>();
  for (std::size_t i = 0; i < others->count; ++i) forest->positions.push_back(others->position[i]);
  forest->tree = std::make_unique<KdTree>(3, forest->cloud, nanoflann::KDTreeSingleIndexAdaptorParams(12));
  forest->tree->buildIndex();
  const auto order = std::make_shared<const Array<std::uint32_t>>(mortonOrder(at->position, at->count));
  const MaskPtr distance = makeDistanceMask({others}, nullptr, {}, 1000, {0, 0, 1, 2}, {});
  add({"Mask distance to 100 k points", "bare sorted kd-tree loop", false, 1.3,
       [distance, at] { withThreads(1, [&] { benchmark::DoNotOptimize(maskValues({}, *distance, *at)); }); },
       [forest, at, order] {
         Array<float> out(at->count);
         for (const std::uint32_t i : *order) {
           const Vec3 place = at->position[i];
           std::uint32_t nearest = 0;
           float squared = 0;
           forest->tree->knnSearch(&place.x, 1, &nearest, &squared);
           out[i] = std::sqrt(squared);
         }
         benchmark::DoNotOptimize(out.data());
       }});
  const MaskPtr crowding = makeCrowdingMask({others}, 0.6F, false, false, {0, 3, 20, 30}, {});
  add({"Mask crowding within 0.6 m", "bare sorted kd-tree radius search", false, 1.3,
       [crowding, at] { withThreads(1, [&] { benchmark::DoNotOptimize(maskValues({}, *crowding, *at)); }); },
       [forest, at, order] {
         Array<float> out(at->count);
         std::vector<std::pair<std::uint32_t, float>> found;
         for (const std::uint32_t i : *order) {
           const Vec3 place = at->position[i];
           out[i] = static_cast<float>(
               forest->tree->radiusSearch(&place.x, 0.36F, found, nanoflann::SearchParams(0, 0, false)));
         }
         benchmark::DoNotOptimize(out.data());
       }});
}

/// Openness and Hollows beside bare Embree rays of the same number; a hundred thousand places, since each asks for
/// many.
void addRayMasks(const SurfacePtr& surface) {
  const PointsPtr few = places(surface, 100'000);
  const auto fewOrder = std::make_shared<const Array<std::uint32_t>>(mortonOrder(few->position, few->count));
  const auto index = *SurfaceIndex::of(*surface);
  constexpr int kRays = 32;
  std::vector<Vec3> directions;
  for (int k = 0; k < kRays; ++k) {
    const float r = std::sqrt((static_cast<float>(k) + 0.5F) / kRays);
    const float a = static_cast<float>(k) * 2.39996323F;
    directions.push_back({r * std::cos(a), std::sqrt(1 - r * r), r * std::sin(a)});
  }
  const MaskPtr openness = makeOpennessMask(surface, {}, kRays, 20, false, {0, 1, 1, 1}, {});
  add({"Mask openness, 100 k places × 32 rays", "bare rays", false, 1.3,
       [openness, few] { withThreads(1, [&] { benchmark::DoNotOptimize(maskValues({}, *openness, *few)); }); },
       [few, fewOrder, index, directions] {
         Array<float> out(few->count);
         for (const std::uint32_t i : *fewOrder) {
           const Vec3 from = few->position[i] + few->groundNormal[i] * 0.002F;
           int stopped = 0;
           for (const Vec3& d : directions) {
             RTCRay ray{from.x, from.y, from.z, 0, d.x, d.y, d.z, 0, 20, ~0U, 0, 0};
             RTCIntersectContext context;
             rtcInitIntersectContext(&context);
             rtcOccluded1(index->scene(), &context, &ray);
             stopped += ray.tfar < 0;
           }
           out[i] = 1 - static_cast<float>(stopped) / kRays;
         }
         benchmark::DoNotOptimize(out.data());
       }});
  constexpr int kSamples = 24;
  const MaskPtr hollows = makeHollowsMask(surface, 2, kSamples, {-1, 1, 1, 1}, {});
  add({"Mask hollows, 100 k places × 24 samples", "bare rays, both ways", false, 1.5,
       [hollows, few] { withThreads(1, [&] { benchmark::DoNotOptimize(maskValues({}, *hollows, *few)); }); },
       [few, fewOrder, index] {
         Array<float> out(few->count);
         for (const std::uint32_t i : *fewOrder) {
           const Vec3 n = few->groundNormal[i];
           float sum = 0;
           for (int k = 0; k < kSamples; ++k) {
             const float r = 2 * std::sqrt((static_cast<float>(k) + 0.5F) / kSamples);
             const float a = static_cast<float>(k) * 2.39996323F;
             const Vec3 from = few->position[i] + Vec3(r * std::cos(a), 0, r * std::sin(a));
             for (const Vec3& way : {n, -n}) {
               RTCRayHit hit{};
               hit.ray = {from.x, from.y, from.z, 0, way.x, way.y, way.z, 0, 4, ~0U, 0, 0};
               hit.hit.geomID = RTC_INVALID_GEOMETRY_ID;
               hit.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
               RTCIntersectContext context;
               rtcInitIntersectContext(&context);
               rtcIntersect1(index->scene(), &context, &hit);
               if (hit.hit.geomID != RTC_INVALID_GEOMETRY_ID) sum += hit.ray.tfar;
             }
           }
           out[i] = sum;
         }
         benchmark::DoNotOptimize(out.data());
       }});
}

}  // namespace

void addMasks() {
  const SurfacePtr surface = ground(500, 100);
  const PointsPtr at = places(surface, kCount);
  addPointMasks(at);
  addPlaceMasks(at);
  addExpressionMask(at);
  addNeighborMasks(surface, at);
  addRayMasks(surface);
}

}  // namespace arvesk::bench
