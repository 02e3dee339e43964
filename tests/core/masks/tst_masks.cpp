// Masks against known answers; noise bit-equal in its vectorized and plain form.
#include "core/base/noise.h"
#include "core/masks/point_masks.h"
#include "tests/support/support.h"

#include <atomic>
#include <random>

using namespace arvesk;
using test::within;

namespace {

Array<float> valuesOf(const Mask& mask, const Points& p) { return maskValues({}, mask, p); }

Points pointsOn(const SurfacePtr& ground, std::size_t count, float extent) {
  Points p = test::randomPoints(count, {extent, 0, extent}, 0.1F, 0.2F, 21);
  Array<Vec3> position = p.position.copied(p.count);
  for (Vec3& v : position) v -= Vec3(extent / 2, 0, extent / 2);
  p.position = std::move(position);
  test::Bench bench;
  return *bench.points("set-down", test::inputs({{"points", std::make_shared<const Points>(p)}, {"ground", ground}}));
}

}  // namespace

class TestMasks : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  /// A mask that many use is asked once for each place, however they are put together, and the values are those of
  /// blends that ask it every time.
  void whatManyUseIsAskedOnce() {
    /// What it is asked, counted for each place.
    class Counting final : public Mask {
     public:
      Counting(std::uint64_t seed, std::vector<std::atomic<int>>& asked) : m_seed(seed), m_asked(asked) {}
      void values(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
        for (std::size_t i = begin; i < end; ++i) {
          ++m_asked[at.id[i]];
          const float u = unitFloat(hashOf(m_seed, at.id[i]));
          out[i - begin] = u < 0.6F ? 0 : u;  // mostly nothing, so that Multiply picks places out
        }
      }
      void countBytes(ByteCounter& counter) const override { counter.add(this, sizeof(*this)); }
      bool isSearching() const override { return m_seed % 2 == 0; }

     private:
      std::uint64_t m_seed;
      std::vector<std::atomic<int>>& m_asked;
    };
    constexpr std::size_t kPlaces = 3000;
    Points at;
    at.count = kPlaces;
    Array<std::uint64_t> ids(kPlaces);
    for (std::size_t i = 0; i < kPlaces; ++i) ids[i] = i;
    at.id = std::move(ids);
    at.position = Array<Vec3>(kPlaces, Vec3(0));
    std::mt19937 random(3);
    for (int trial = 0; trial < 40; ++trial) {
      constexpr std::size_t kLeaves = 3;
      std::vector<std::vector<std::atomic<int>>> asked;
      for (std::size_t k = 0; k < kLeaves; ++k) asked.emplace_back(kPlaces);
      std::vector<MaskPtr> masks;
      std::vector<Array<float>> expected;
      for (std::size_t k = 0; k < kLeaves; ++k) {
        masks.push_back(std::make_shared<Counting>(static_cast<std::uint64_t>(trial) * 10 + k, asked[k]));
        Array<float> own(kPlaces);
        masks.back()->values(at, 0, kPlaces, own.data());
        expected.push_back(std::move(own));
      }
      for (auto& counts : asked)
        for (auto& c : counts) c = 0;
      // Each of 40 blends takes two or three of those before it; the last takes most of the graph.
      for (int b = 0; b < 40; ++b) {
        std::vector<MaskPtr> parts;
        std::vector<float> weights;
        std::vector<std::size_t> from;
        for (unsigned k = 0; k < 2 + random() % 2; ++k) {
          from.push_back(random() % 2 ? masks.size() - 1 : random() % masks.size());
          parts.push_back(masks[from.back()]);
          weights.push_back(random() % 3 ? 1.0F : 0.5F);
        }
        const auto mode = static_cast<BlendMode>(random() % 6);
        // The same blend over masks that only know what these gave.
        std::vector<MaskPtr> known;
        Points carrying = at;
        for (std::size_t k = 0; k < from.size(); ++k) {
          carrying.attributes["v" + std::to_string(k)] = Column<float>(Array<float>(expected[from[k]]));
          known.push_back(makeFormulaMask(*Formula::compile("v" + std::to_string(k)), {}, {}));
        }
        Array<float> want(kPlaces);
        makeBlendMask(known, weights, mode, {})->values(carrying, 0, kPlaces, want.data());
        masks.push_back(makeBlendMask(parts, weights, mode, {}));
        expected.push_back(std::move(want));
      }
      const Array<float> got = valuesOf(*masks.back(), at);
      for (std::size_t i = 0; i < kPlaces; ++i) {
        QCOMPARE(got[i], expected.back()[i]);
        for (std::size_t k = 0; k < kLeaves; ++k) QVERIFY(asked[k][i] <= 1);
      }
      ByteCounter bytes;
      masks.back()->countBytes(bytes);
      QVERIFY(bytes.bytes() < 100'000);
      QVERIFY(masks.back()->depth() <= 41);
    }
  }

  void slopeOfAPlaneIsItsAngle_data() {
    QTest::addColumn<float>("angle");
    for (const float a : {0.0F, 1.0F, 17.0F, 44.9F, 60.0F, 89.0F})
      QTest::addRow("%g degrees", static_cast<double>(a)) << a;
  }
  void slopeOfAPlaneIsItsAngle() {
    QFETCH(float, angle);
    const SurfacePtr ground = test::leaning(20, angle);
    const Points p = pointsOn(ground, 50, 0.1F);
    QVERIFY(p.count > 0);
    Array<float> measured(p.count);
    for (const MaskPtr& mask :
         {makeSlopeMask(nullptr, {0, 0, 30, 40}, {}), makeSlopeMask(ground, {0, 0, 30, 40}, {})}) {
      QVERIFY(mask->measure(p, 0, p.count, measured.data()));
      for (std::size_t i = 0; i < p.count; ++i)
        QVERIFY(within(static_cast<double>(measured[i]), static_cast<double>(angle), 0.01));
    }
  }

  void heightIsMetersOrShareOfTheGround() {
    const SurfacePtr ground = test::hills(20, 20, 3);
    const Box3 box = ground->bounds();
    const Points p = pointsOn(ground, 300, 18);
    Array<float> meters(p.count);
    Array<float> share(p.count);
    makeHeightMask(nullptr, {}, {})->measure(p, 0, p.count, meters.data());
    makeHeightMask(ground, {}, {})->measure(p, 0, p.count, share.data());
    for (std::size_t i = 0; i < p.count; ++i) {
      QCOMPARE(meters[i], p.position[i].y);
      QVERIFY(within(static_cast<double>(share[i]), static_cast<double>((p.position[i].y - box.min.y) / box.extent().y),
                     1e-5));
    }
  }

  void invertAndOutputRange() {
    const Points p = test::randomPoints(200, {10, 10, 10}, 0.1F, 0.2F, 2);
    const Band band{2, 3, 6, 8};
    const Array<float> plain = valuesOf(*makeHeightMask(nullptr, band, {}), p);
    const Array<float> other = valuesOf(*makeHeightMask(nullptr, band, {true, {0.2F, 0.6F}}), p);
    for (std::size_t i = 0; i < p.count; ++i) {
      QCOMPARE(plain[i], band.weight(p.position[i].y));
      QVERIFY(within(static_cast<double>(other[i]), 0.2 + 0.4 * (1 - static_cast<double>(plain[i])), 1e-6));
    }
  }

  void vectorizedNoiseEqualsThePlainForm() {
    const Points p = test::randomPoints(4099, {2000, 2000, 2000}, 0, 1, 77);
    std::vector<float> x, y, z, out(p.count);
    for (std::size_t i = 0; i < p.count; ++i) {
      x.push_back(p.position[i].x - 1000);
      y.push_back(i % 7 == 0 ? std::floor(p.position[i].y) : p.position[i].y - 1000);  // on lattice planes too
      z.push_back(p.position[i].z - 1000);
    }
    gradientNoise(x.data(), y.data(), z.data(), p.count, 12345, out.data());
    for (std::size_t i = 0; i < p.count; ++i) {
      const float plain = gradientNoiseScalar(x[i], y[i], z[i], 12345);
      QVERIFY2(std::memcmp(&plain, &out[i], sizeof plain) == 0, qPrintable(QStringLiteral("value %1 differs").arg(i)));
    }
  }

  void gradientNoiseIsZeroOnTheLatticeAndContinuous() {  // by its construction (Perlin 1985)
    for (int i = -20; i < 20; ++i)
      QCOMPARE(gradientNoiseScalar(static_cast<float>(i), static_cast<float>(2 * i), static_cast<float>(-i), 5), 0.0F);
    for (int i = 0; i < 2000; ++i) {
      const float t = static_cast<float>(i) * 0.01F;
      const float step = 1e-3F;
      QVERIFY(std::abs(gradientNoiseScalar(t + step, 0.3F, 0.7F, 5) - gradientNoiseScalar(t, 0.3F, 0.7F, 5)) <
              10 * step);
    }
  }

  void noiseStaysInRangeAndFollowsItsSettings_data() {
    QTest::addColumn<int>("form");
    QTest::newRow("plain") << 0;
    QTest::newRow("ridged") << 1;
    QTest::newRow("cellular") << 2;
  }
  void noiseStaysInRangeAndFollowsItsSettings() {
    QFETCH(int, form);
    NoiseSettings s;
    s.form = static_cast<NoiseForm>(form);
    s.octaves = 4;
    s.seed = 3;
    const Points p = test::randomPoints(3000, {100, 100, 100}, 0, 1, 5);
    std::vector<float> x, y, z, a(p.count), b(p.count);
    for (std::size_t i = 0; i < p.count; ++i) {
      x.push_back(p.position[i].x);
      y.push_back(p.position[i].y);
      z.push_back(p.position[i].z);
    }
    noiseValues(s, x.data(), y.data(), z.data(), p.count, a.data());
    float low = 1;
    float high = 0;
    for (const float v : a) {
      QVERIFY(v >= 0 && v <= 1);
      low = std::min(low, v);
      high = std::max(high, v);
    }
    QVERIFY(high - low > 0.4F);
    // Twice the size at twice the place is the same pattern.
    s.size *= 2;
    for (std::size_t i = 0; i < p.count; ++i) {
      x[i] *= 2;
      y[i] *= 2;
      z[i] *= 2;
    }
    noiseValues(s, x.data(), y.data(), z.data(), p.count, b.data());
    for (std::size_t i = 0; i < p.count; ++i)
      QVERIFY(within(static_cast<double>(b[i]), static_cast<double>(a[i]), 1e-4));
    // Contrast 0 is the middle everywhere.
    s.contrast = 0;
    noiseValues(s, x.data(), y.data(), z.data(), p.count, b.data());
    for (const float v : b) QCOMPARE(v, 0.5F);
  }

  void pictureIsLaidFromAbove() {
    auto image = std::make_shared<Image>(Image{4, 2, 1, 16, {0, 0.25F, 0.5F, 0.75F, 1, 1, 1, 1}, {}});
    PictureMap map;
    map.corner = {10, 20};
    map.extent = {8, 4};
    const Band whole{0, 1, 1, 1};
    const MaskPtr mask = makePictureMask(image, map, whole, {});
    Points p;
    p.count = 4;
    p.position = Array<Vec3>{{11, 5, 21}, {15, -3, 21}, {13, 0, 23}, {9.9F, 0, 21}};
    Array<float> v(4);
    mask->measure(p, 0, 4, v.data());
    QCOMPARE(v[0], 0.0F);  // center of the first pixel
    QCOMPARE(v[1], 0.5F);  // of the third
    QCOMPARE(v[2], 1.0F);  // second row is nearer to +Z
    QCOMPARE(v[3], 0.0F);  // outside
    map.tiles = true;
    makePictureMask(image, map, whole, {})->measure(p, 0, 4, v.data());
    QVERIFY(v[3] > 0.4F);  // the last column comes again
  }

  void blendEqualsTheSumByHand_data() {
    QTest::addColumn<int>("mode");
    QTest::addColumn<double>("expected");  // of 0.8 and 0.5 with weights 1 and 0.5
    QTest::newRow("multiply") << 0 << 0.8 * 0.75;
    QTest::newRow("add, clamped") << 1 << 1.0;
    QTest::newRow("subtract") << 2 << 0.55;
    QTest::newRow("larger") << 3 << 0.8;
    QTest::newRow("smaller") << 4 << 0.75;
    QTest::newRow("average") << 5 << (0.8 + 0.25) / 1.5;
  }
  void blendEqualsTheSumByHand() {
    QFETCH(int, mode);
    QFETCH(double, expected);
    const auto constant = [](float v) { return makeHeightMask(nullptr, {-1e9F, -1e9F, 1e9F, 1e9F}, {false, {0, v}}); };
    const MaskPtr mask = makeBlendMask({constant(0.8F), constant(0.5F)}, {1, 0.5F}, static_cast<BlendMode>(mode), {});
    const Points p = test::randomPoints(3, {1, 1, 1}, 0, 1, 1);
    for (const float v : valuesOf(*mask, p)) QVERIFY(within(static_cast<double>(v), expected, 1e-6));
  }
};

QTEST_GUILESS_MAIN(TestMasks)
#include "tst_masks.moc"
