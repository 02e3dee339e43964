// Patches against a plain search over all of them: which one holds a place, whether any does, and which is nearest.
#include "core/nodes/thin/patches.h"
#include "tests/support/support.h"

using namespace arvesk;
using nodes::AreaRule;
using nodes::Holder;
using nodes::Patches;

namespace {

/// The definition, said plainly: the distance from the center to the rim in the patch's own frame, 1 at the rim.
float plainDistance(const Points& p, std::size_t i, const AreaRule& rule, const Vec3& place) {
  Vec3 offset = place - p.position[i];
  if (rule.isFromAbove) offset.y = 0;
  const Vec3 own = glm::conjugate(p.orientation[i]) * offset;
  const float factor = rule.outline.factor({own.x, own.z}, p.id[i]);
  const auto share = [&](float distance, float radius) {
    const float r = radius * factor + rule.margin;
    return r > 0 ? distance / r : std::numeric_limits<float>::infinity();
  };
  if (rule.outline.shape == OutlineShape::Disc)
    return share(rule.isFromAbove ? glm::length(Vec2(offset.x, offset.z)) : glm::length(own), p.effectiveFootprint(i));
  const Vec3 radius = p.footprint[i] * glm::abs(p.size[i]);
  const float flat = std::max(share(std::abs(own.x), radius.x), share(std::abs(own.z), radius.z));
  return rule.isFromAbove ? flat : std::max(flat, share(std::abs(own.y), radius.y));
}

/// Patches of many sizes, some mirrored or uneven, turned about and leaning; a few without any room.
PointsPtr somePatches(std::size_t count, std::uint64_t seed) {
  Points p = test::randomPoints(count, {30, 4, 30}, 0.05F, 2.5F, seed);
  Array<Vec3> size(count);
  Array<Quat> turn(count);
  Array<float> footprint(count);
  for (std::size_t i = 0; i < count; ++i) {
    const auto unit = [&](std::uint64_t of) { return unitFloat(hashOf(p.id[i], of, seed)); };
    size[i] = Vec3(0.3F + unit(1), 0.3F + unit(2), (unit(3) < 0.3F ? -1.0F : 1.0F) * (0.3F + unit(4)));
    turn[i] = turnOf({40 * (unit(5) - 0.5F), 360 * unit(6), 40 * (unit(7) - 0.5F)});
    footprint[i] = unit(8) < 0.05F ? 0 : p.footprint[i];
  }
  p.size = std::move(size);
  p.orientation = std::move(turn);
  p.footprint = std::move(footprint);
  return std::make_shared<const Points>(std::move(p));
}

}  // namespace

class TestPatches : public QObject {
  Q_OBJECT

  static AreaRule ruleOfRow() {
    QFETCH(bool, isBox);
    QFETCH(float, ragged);
    QFETCH(float, margin);
    QFETCH(bool, isFromAbove);
    AreaRule rule;
    rule.outline = {isBox ? OutlineShape::Box : OutlineShape::Disc, ragged, 0.4F};
    rule.margin = margin;
    rule.isFromAbove = isFromAbove;
    return rule;
  }

 private Q_SLOTS:
  void agreeWithAPlainSearch_data() {
    QTest::addColumn<bool>("isBox");
    QTest::addColumn<float>("ragged");
    QTest::addColumn<float>("margin");
    QTest::addColumn<bool>("isFromAbove");
    for (const bool isBox : {false, true})
      for (const float ragged : {0.0F, 0.5F, 1.0F})
        for (const float margin : {0.0F, 0.6F, -0.3F})
          for (const bool isFromAbove : {true, false})
            QTest::addRow("%s, ragged %g, margin %g, %s", isBox ? "boxes" : "discs", static_cast<double>(ragged),
                          static_cast<double>(margin), isFromAbove ? "from above" : "in space")
                << isBox << ragged << margin << isFromAbove;
  }
  void agreeWithAPlainSearch() {
    const AreaRule rule = ruleOfRow();
    const std::vector<PointsPtr> sets{somePatches(60, 3), somePatches(25, 8)};
    const Patches patches(sets, rule);
    const Points asked = test::randomPoints(1500, {30, 4, 30}, 0, 0, 77);
    std::size_t held = 0;
    for (std::size_t k = 0; k < asked.count; ++k) {
      const Vec3 place = asked.position[k];
      float least = std::numeric_limits<float>::infinity();
      std::uint64_t id = 0;
      for (const PointsPtr& set : sets)
        for (std::size_t i = 0; i < set->count; ++i) {
          const float d = plainDistance(*set, i, rule, place);
          if (d < least || (d == least && set->id[i] < id)) {
            least = d;
            id = set->id[i];
          }
        }
      const auto holder = patches.holderOf(place);
      QCOMPARE(holder.has_value(), least < 1);
      QCOMPARE(patches.holds(place), least < 1);
      if (!holder) continue;
      ++held;
      QCOMPARE(holder->id, id);
      QCOMPARE(holder->distance, least);
      QCOMPARE(sets[holder->set]->id[holder->index], id);
      const auto nearest = patches.nearestOf(place);
      QVERIFY(nearest && nearest->id == id);
    }
    QVERIFY2(held > 30 && held < asked.count, qPrintable(QString::number(held)));
  }

  /// What is drawn as a patch's rim is where it ends: a step inside is held, a step outside is not.
  void rimsAreWherePatchesEnd_data() { agreeWithAPlainSearch_data(); }
  void rimsAreWherePatchesEnd() {
    const AreaRule rule = ruleOfRow();
    const PointsPtr all = somePatches(40, 5);
    std::size_t looked = 0;
    for (std::uint32_t i = 0; i < all->count; ++i) {
      const auto one = std::make_shared<const Points>(gathered(*all, {i}));
      const Patches patch({one}, rule);
      for (const AreaRim& rim : patch.rims(10)) {
        QCOMPARE(rim.line.front(), rim.line.back());
        const Vec3 center = one->position[0];
        for (const Vec3& end : rim.line) {
          if (glm::distance(end, center) < 0.02F) continue;  // a margin below 0 leaves nothing of it
          QVERIFY(patch.holds(glm::mix(center, end, 0.995F)));
          QVERIFY(!patch.holds(glm::mix(center, end, 1.005F)));
          ++looked;
        }
      }
      QVERIFY(patch.rims(0).empty());
    }
    QVERIFY2(looked > 1000, qPrintable(QString::number(looked)));
  }

  void noPatchesHoldNothing() {
    const Patches none({}, {});
    QVERIFY(!none.holds(Vec3(0)) && !none.holderOf(Vec3(0)) && !none.nearestOf(Vec3(0)));
    Points flat = *somePatches(10, 1);
    flat.footprint = Column<float>(0.0F);
    const Patches empty({std::make_shared<const Points>(std::move(flat))}, {});
    QVERIFY(!empty.holds(Vec3(15, 2, 15)));
  }
};

QTEST_GUILESS_MAIN(TestPatches)
#include "tst_patches.moc"
