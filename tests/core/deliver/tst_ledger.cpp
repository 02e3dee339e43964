// The Ledger's rows, filters and order against plain loops; Cover against counting; the manual's pictures.
#include "core/deliver/cover.h"
#include "core/deliver/ledger.h"
#include "core/deliver/manual.h"
#include "tests/support/support.h"

#include <cmath>
#include <set>

using namespace arvesk;
using test::within;

namespace {

PointsPtr somePoints(std::size_t count, std::uint64_t seed, bool isDressed) {
  Points p = test::randomPoints(count, {20, 4, 20}, 0.1F, 1, seed);
  Array<Vec3> normal(count);
  Array<float> age(count);
  Array<std::int32_t> prop(count);
  for (std::size_t i = 0; i < count; ++i) {
    normal[i] = glm::normalize(Vec3(p.position[i].x, 12, p.position[i].z));
    age[i] = static_cast<float>(hashOf(p.id[i], seed) % 100);
    prop[i] = static_cast<std::int32_t>(i % 3);
  }
  p.groundNormal = std::move(normal);
  if (isDressed) {
    p.kit = test::someKit();
    p.prop = std::move(prop);
    p.attributes.emplace("age", Column<float>(std::move(age)));
  }
  return std::make_shared<const Points>(std::move(p));
}

}  // namespace

class TestLedger : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void filtersAgreeWithPlainLoops_data() {
    QTest::addColumn<QString>("filter");
    QTest::newRow("all") << "";
    QTest::newRow("comparison") << "slope > 30";
    QTest::newRow("two") << "slope <= 20 and footprint >= 0.5";
    QTest::newRow("attribute that one output lacks") << "age < 40";
    QTest::newRow("output by pattern") << "output = Ro*";
    QTest::newRow("not that output, any case") << "output != rocks";
  }
  void filtersAgreeWithPlainLoops() {
    QFETCH(QString, filter);
    const Ledger ledger({{"Rocks", somePoints(4000, 1, true)}, {"Bare", somePoints(2500, 2, false)}});
    QCOMPARE(ledger.rowCount(), std::size_t{6500});
    const auto rows = ledger.filtered(filter.toStdString(), {});
    QVERIFY(rows.has_value());
    std::set<std::uint32_t> expected;
    for (std::uint32_t r = 0; r < ledger.rowCount(); ++r) {
      const auto at = ledger.placeOf(r);
      const Points& p = *ledger.parts()[at.part].points;
      const float slope = degrees(angleBetween(p.groundNormal[at.index], kUp));
      const auto* age = columnOf<Column<float>>(p.attributes, "age");
      const bool fits = filter.isEmpty() || (filter == QStringLiteral("slope > 30") && slope > 30) ||
                        (filter.startsWith(QStringLiteral("slope <=")) && slope <= 20 &&
                         p.footprint[at.index] >= 0.5F) ||
                        (filter.startsWith(QStringLiteral("age")) && age && (*age)[at.index] < 40) ||
                        (filter.startsWith(QStringLiteral("output =")) && at.part == 0) ||
                        (filter.startsWith(QStringLiteral("output !=")) && at.part == 1);
      if (fits) expected.insert(r);
    }
    QVERIFY(!expected.empty());
    QCOMPARE(std::set<std::uint32_t>(rows->begin(), rows->end()), expected);
  }

  /// What points carry under a name of the table's own is shown beside it, not behind it.
  void columnsOfEqualNamesAreAllShown() {
    Points p = test::randomPoints(20, {5, 5, 5}, 0.1F, 0.1F, 3);
    const auto words = std::make_shared<const std::vector<std::string>>(std::vector<std::string>{"old", "new"});
    Array<std::uint32_t> which(p.count);
    Array<float> number(p.count);
    for (std::size_t i = 0; i < p.count; ++i) {
      which[i] = static_cast<std::uint32_t>(i % 2);
      number[i] = static_cast<float>(i) + 0.5F;
    }
    p.attributes["output"] = TextColumn{words, Column<std::uint32_t>(std::move(which))};
    p.attributes["id"] = Column<float>(std::move(number));
    const auto points = std::make_shared<const Points>(std::move(p));
    const Ledger ledger({{"Here", points}, {"There", points}});
    std::set<std::string> names;
    for (const LedgerColumn& c : ledger.columns()) QVERIFY2(names.insert(c.name).second, c.name.c_str());
    for (const std::size_t row : {std::size_t{0}, std::size_t{1}, std::size_t{25}}) {
      const std::size_t i = ledger.placeOf(row).index;
      QCOMPARE(ledger.text(row, ledger.column("output")), std::string(row < 20 ? "Here" : "There"));
      QCOMPARE(ledger.text(row, ledger.column("output_2")), std::string(i % 2 ? "new" : "old"));
      QCOMPARE(ledger.text(row, ledger.column("id")), std::to_string(points->id[i]));
      QCOMPARE(ledger.number(row, ledger.column("id_2")), static_cast<double>(i) + 0.5);
    }
    const auto found = ledger.filtered("output = There and output_2 = new", {});
    QVERIFY(found);
    QCOMPARE(found->size(), std::size_t{10});
  }

  void aWrongFilterSaysWhatToDo() {
    const Ledger ledger({{"Rocks", somePoints(10, 1, true)}});
    const auto unknown = ledger.filtered("colour > 3", {});
    QVERIFY(!unknown);
    QCOMPARE(unknown.error().message, std::string("there is no column \"colour\""));
    QVERIFY(unknown.error().advice.find("slope") != std::string::npos);
    QVERIFY(!ledger.filtered("slope > steep", {}));
    QVERIFY(!ledger.filtered("prop > a", {}));
  }

  void ordersByAnyColumn() {
    const Ledger ledger({{"Rocks", somePoints(3000, 1, true)}, {"Bare", somePoints(3000, 2, false)}});
    const auto all = ledger.filtered("", {});
    for (int c = 0; c < static_cast<int>(ledger.columns().size()); ++c)
      for (const bool isFalling : {false, true}) {
        const Array<std::uint32_t> rows = ledger.sorted(*all, c, isFalling, {});
        QCOMPARE(std::set<std::uint32_t>(rows.begin(), rows.end()).size(), ledger.rowCount());
        const bool isNumber = ledger.columns()[static_cast<std::size_t>(c)].sort == LedgerColumn::Sort::Number;
        const bool isId = ledger.columns()[static_cast<std::size_t>(c)].sort == LedgerColumn::Sort::Id;
        for (std::size_t i = 1; i < rows.size(); ++i) {
          if (isNumber) {
            const double a = ledger.number(rows[i - 1], c);
            const double b = ledger.number(rows[i], c);
            QVERIFY(std::isnan(b) || (!std::isnan(a) && (isFalling ? a >= b : a <= b)));
          } else if (isId) {
            const auto a = std::stoull(ledger.text(rows[i - 1], c));
            const auto b = std::stoull(ledger.text(rows[i], c));
            QVERIFY(isFalling ? a >= b : a <= b);
          } else {
            const std::string a = ledger.text(rows[i - 1], c);
            const std::string b = ledger.text(rows[i], c);
            QVERIFY(isFalling ? a >= b : a <= b);
          }
        }
      }
  }

  void csvHoldsWhatTheTableShows() {
    QTemporaryDir dir;
    const Ledger ledger({{"Rocks, all", somePoints(50, 1, true)}, {"Bare", somePoints(5, 2, false)}});
    const auto rows = ledger.filtered("", {});
    const std::string path = dir.filePath(QStringLiteral("t.csv")).toStdString();
    QVERIFY(ledger.writeCsv(path, *rows, {}));
    QFile file(QString::fromStdString(path));
    QVERIFY(file.open(QIODevice::ReadOnly));
    const QList<QByteArray> lines = file.readAll().trimmed().split('\n');
    QCOMPARE(lines.size(), 56);
    QVERIFY(lines[0].startsWith("output,prop,x,y,z,slope,size,footprint"));
    QVERIFY(lines[1].startsWith("\"Rocks, all\","));
    QVERIFY2(lines.last().contains(",,"), "what an output lacks stays empty");
    const int x = ledger.column("x");
    QVERIFY(
        within(lines[1].split(',')[1 + x].toDouble(), ledger.number((*rows)[0], x), 1e-6));  // the name holds a comma
  }

  void coverCountsEveryPointOnce() {
    const PointsPtr a = somePoints(5000, 3, false);
    const PointsPtr b = somePoints(800, 4, false);
    const CoverMap map = coverOf({a, b}, {test::hills(40, 24, 1)}, 60, {});
    QCOMPARE(map.pointCount, std::size_t{5800});
    std::size_t sum = 0;
    for (const std::uint32_t c : map.count) sum += c;
    QCOMPARE(sum, std::size_t{5800});
    QVERIFY(std::max(map.columns, map.rows) <= 61);
    for (const std::size_t i : {std::size_t{0}, std::size_t{77}, std::size_t{4999}}) {
      const Vec2 place(a->position[i].x, a->position[i].z);
      int inCell = 0;
      const Vec2 cell = glm::floor((place - map.corner) / map.cell);
      for (const PointsPtr& p : {a, b})
        for (std::size_t k = 0; k < p->count; ++k)
          inCell += glm::floor((Vec2(p->position[k].x, p->position[k].z) - map.corner) / map.cell) == cell;
      QVERIFY(within(static_cast<double>(*map.at(place)), inCell / static_cast<double>(map.cell * map.cell), 1e-4));
    }
    QVERIFY(!map.at(Vec2(1e4F, 0)));
    // Relief where there is ground, none where there is not.
    std::size_t withGround = 0;
    for (const float s : map.shade) withGround += s >= 0;
    QVERIFY(withGround > map.shade.size() / 2);
    QVERIFY(coverOf({}, {}, 60, {}).columns == 0);
    QVERIFY(!map.perCubicMeter({0, 0}));
    // In a box that is filled with 40 per m³ the columns say so on the mean.
    test::Bench bench;
    const SurfacePtr box = std::make_shared<const Surface>(makeBox({6, 3, 6}));
    const PointsPtr filling = bench.points("sow-in-volume", test::inputs({{"volume", *makeSolid({box}, {}, {})}}),
                                           {{"density", 40.0}});
    const CoverMap filled = coverOf({filling}, {}, 6, {});
    double perM3 = 0;
    int asked = 0;
    for (float z = -2.5F; z < 3; z += 1)
      for (float x = -2.5F; x < 3; x += 1)
        if (const auto v = filled.perCubicMeter({x, z})) perM3 += static_cast<double>(*v), ++asked;
    QVERIFY(asked > 20);
    QVERIFY2(within(perM3 / asked, 40, 1.5), qPrintable(QString::number(perM3 / asked)));
  }

  void everyKindHasAPageAndAPictureThatShowsSomething() {
    for (const NodeKind* kind : allNodeKinds()) {
      const std::string page = manualPage(*kind, true);
      for (const ParamSpec& p : kind->params)
        QVERIFY2(page.find("| " + p.label + " |") != std::string::npos, (kind->id + "." + p.id).c_str());
      const Array<std::uint32_t> pixels = manualPicture(*kind, 160, 92, {});
      QVERIFY2(pixels.size() == 160 * 92, kind->id.c_str());
      std::set<std::uint32_t> colors(pixels.begin(), pixels.end());
      QVERIFY2(colors.size() > 60, kind->id.c_str());
    }
  }
};

QTEST_GUILESS_MAIN(TestLedger)
#include "tst_ledger.moc"
