// Names, dials and what is missing: a name that matches nothing says so and lists what there is, a dial can be followed
// by every number, and nothing takes the place of a prop that cannot be read.
#include "core/base/formula.h"
#include "core/deliver/delivery.h"
#include "core/deliver/ledger.h"
#include "core/plan/dials.h"
#include "core/plan/set_param.h"
#include "tests/support/plans.h"

#include <QTemporaryDir>

using namespace arvesk;
using test::node;

namespace {

bool hasWarning(const std::vector<Problem>& problems, const std::string& message, const std::string& advice) {
  return std::any_of(problems.begin(), problems.end(), [&](const Problem& p) {
    return p.severity == Severity::Warning && p.message.find(message) != std::string::npos &&
           p.advice.find(advice) != std::string::npos;
  });
}

std::string all(const std::vector<Problem>& problems) {
  std::string out;
  for (const Problem& p : problems) out += toLine(p) + "\n";
  return out;
}

}  // namespace

class TestNames : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void aNameThatMatchesNothingSaysWhatThereIs() {
    test::Bench bench;
    const auto warned = [&](const char* message, const char* advice) {
      const bool is = hasWarning(bench.warnings, message, advice);
      if (!is) qWarning("%s", all(bench.warnings).c_str());
      return is;
    };
    (void)bench.run("mesh-file", {}, {{"file", std::string("jetty.glb")}, {"parts", std::string("deck; dekc")}});
    QVERIFY(warned("no part is called \"dekc\"", "stringers"));
    (void)bench.run("markers", {}, {{"file", std::string("jetty.glb")}, {"names", std::string("post_*; lmap_*")}});
    QVERIFY(warned("no node is called \"lmap_*\"", "lamp_"));
    const auto jetty = bench.run("mesh-file", {}, {{"file", std::string("jetty.glb")}});
    (void)bench.run("part-of-surface", test::inputs({{"surface", jetty->front()}}),
                    {{"by", std::string("name")}, {"patterns", std::string("roof")}});
    QVERIFY(warned("no part or material is called \"roof\"", "deck"));
    (void)bench.run("choose-props", {}, {{"pattern", std::string("crate; crte")}, {"tags", std::string("wet")}});
    QVERIFY(warned("no prop is called \"crte\"", "float") && warned("no tag is called \"wet\"", ""));
    const PointsPtr points = std::make_shared<const Points>(test::randomPoints(20, {4, 0, 4}, 0.5F, 0.5F, 3));
    (void)bench.run("keep-in", test::inputs({{"points", points}, {"patches", points}}),
                    {{"copies", std::string("kind")}});
    QVERIFY(warned("no attribute of the patches is called \"kind\"", ""));
    const PointsPtr dressed = bench.points("dress", test::inputs({{"points", points}, {"kit", test::someKit()}}));
    (void)bench.run("on-props", test::inputs({{"points", dressed}}),
                    {{"at", std::string("mounts")}, {"names", std::string("mount_*")}});
    QVERIFY(warned("no mount point of these props is called \"mount_*\"", ""));
    (void)bench.run(
        "share-out", test::inputs({{"points", dressed}}),
        {{"by", std::string("text")}, {"text", std::string("prop")}, {"patterns", std::string("crate | flaot")}});
    QVERIFY(warned("no text is called \"flaot\"", "mat"));
  }

  /// A mask that asks for what the points do not carry is told on the card that uses it, through blends and curves too.
  void masksTellWhatPointsDoNotCarry() {
    Plan plan = test::planOf(
        {node("ground", "shape"), node("sow", "sow-on-surface", {{"density", 0.2}}, {{"surface", "ground"}}),
         node("damp", "attribute", {{"name", std::string("damp")}}),
         node("formula", "expression", {{"text", std::string("a * (wetness < 2)")}}, {{"a", "damp"}}),
         node("both", "blend", {}, {{"masks", "damp|formula"}}),
         node("keep", "keep-by-mask", {}, {{"points", "sow"}, {"mask", "both"}}),
         node("out", "output", {}, {{"points", "keep"}})});
    Evaluator evaluator(std::make_shared<DiskFileService>(test::sourcePath("demo/tern-cove").toStdString()));
    const Evaluation e = evaluator.evaluate(plan, {});
    const auto& problems = e.reports.at("keep").problems;
    QVERIFY2(hasWarning(problems, "\"damp\"", "slope") && hasWarning(problems, "\"wetness\"", "slope"),
             all(problems).c_str());
    // A rename shows in messages that were kept.
    plan.find("keep")->title = "Where it is damp";
    const Evaluation again = evaluator.evaluate(plan, {});
    QVERIFY(again.reports.at("keep").isFromCache);
    QCOMPARE(again.reports.at("keep").problems.front().where, std::string("Where it is damp"));
  }

  void dialsAreFollowedByEveryNumber_data() {
    QTest::addColumn<QString>("kind");
    for (const NodeKind* kind : allNodeKinds()) QTest::newRow(kind->id.c_str()) << QString::fromStdString(kind->id);
  }
  void dialsAreFollowedByEveryNumber() {
    QFETCH(QString, kind);
    const NodeKind& declared = *findNodeKind(kind.toStdString());
    for (const ParamSpec& spec : declared.params) {
      Plan plan;
      Dial dial;
      dial.name = "d";
      plan.dials.push_back(dial);
      plan.nodes.push_back(node("n", declared.id));
      Node& n = plan.nodes.front();
      const auto tried = [&](const std::string& key, double value) {
        Plan now = plan;
        now.dials[0].draft = now.dials[0].final = value;
        now.nodes[0].follows = {{key, "d"}};
        const auto problems = followDials(now, Quality::Final);
        return std::pair(now.nodes[0].value(spec), problems.contains("n") ? problems.at("n").message : std::string());
      };
      const double inside = spec.usualMax;
      switch (spec.type) {
        case ParamType::Number: QCOMPARE(std::get<double>(tried(spec.id, inside).first), inside); break;
        case ParamType::Integer:
          QCOMPARE(std::get<double>(tried(spec.id, inside + 0.2).first), std::round(inside));
          break;
        case ParamType::Choice: {
          QCOMPARE(std::get<std::string>(tried(spec.id, 2).first), spec.options[1].id);
          QVERIFY(!tried(spec.id, 0).second.empty() && !tried(spec.id, 99).second.empty());
          break;
        }
        case ParamType::Range:
        case ParamType::Vector: {
          const auto [one, fault] = tried(spec.id + ".1", inside);
          QVERIFY2(fault.empty(), fault.c_str());
          QCOMPARE(std::get<std::vector<double>>(one)[1], inside);
          QCOMPARE(std::get<std::vector<double>>(one)[0], std::get<std::vector<double>>(n.value(spec))[0]);
          QCOMPARE(std::get<std::vector<double>>(tried(spec.id, inside).first)[0], inside);
          QVERIFY(!tried(spec.id + ".7", inside).second.empty());
          break;
        }
        case ParamType::Band: {
          const double top = std::get<std::vector<double>>(n.value(spec))[3];
          QCOMPARE(std::get<std::vector<double>>(tried(spec.id + ".3", top).first)[3], top);
          const auto& four = std::get<std::vector<double>>(n.value(spec));
          if (four[0] > spec.hardMin) QVERIFY(!tried(spec.id + ".3", spec.hardMin).second.empty());  // it would fall
          break;
        }
        default: break;
      }
      if (spec.type == ParamType::Number || spec.type == ParamType::Integer)
        QVERIFY(!tried(spec.id, 1e12).second.empty());
    }
  }

  void setByText() {
    Plan plan = test::crowdedPlan();
    Dial dial;
    dial.name = "amount";
    plan.dials.push_back(dial);
    plan.find("sow")->follows["density"] = "amount * 2";
    const auto refused = setParamByText(plan, "sow.density=3");
    QVERIFY(!refused && refused.error().message.find("follows \"amount * 2\"") != std::string::npos);
    QVERIFY(setParamByText(plan, "amount=2.5"));
    QCOMPARE(plan.dials[0].final, 2.5);
    QCOMPARE(plan.dials[0].draft, 2.5);
    const auto latin = setParamByText(plan, "sow.title=gr\xfcn");  // found by fuzzing: such a plan could not be saved
    QVERIFY(!latin && latin.error().message.find("not UTF-8") != std::string::npos);
    // Found by fuzzing: a seed of 10^117 became another one, unsaid.
    for (const std::string& seed : {"1" + std::string(117, '4'), std::string("-1"), std::string("1.5"), std::string()})
      QVERIFY2(!setParamByText(plan, "sow.seed=" + seed), seed.c_str());
    QVERIFY(setParamByText(plan, "sow.seed=18446744073709551615"));
    QCOMPARE(plan.find("sow")->seed, ~std::uint64_t{0});
    const auto unknown = setParamByText(plan, "amuont=1");
    QVERIFY(!unknown && unknown.error().advice.find("amount") != std::string::npos);
    Plan followed = plan;
    QVERIFY(followDials(followed, Quality::Final).empty());
    QCOMPARE(std::get<double>(followed.find("sow")->params.at("density")), 5.0);
  }

  /// One language for formulas and for the Ledger's filter.
  void formulasAndFiltersSpeakAlike() {
    for (const auto& [a, b] : std::initializer_list<std::pair<const char*, const char*>>{
             {"x = 2", "x == 2"},
             {"x > 1 and y < 3", "(x > 1) && (y < 3)"},
             {"x = 1 or y >= 2 and x < 3", "(x == 1) || ((y >= 2) && (x < 3))"},
             {"sandy + order", "order + sandy"},
             {"x != 2", "1 - (x == 2)"}}) {
      const auto one = Formula::compile(a);
      const auto other = Formula::compile(b);
      QVERIFY2(one && other, a);
      const auto value = [](const Formula& f, double x, double y) {
        std::vector<double> row;
        for (const std::string& name : f.names()) row.push_back(name == "x" ? x : name == "y" ? y : 7);
        return f.evaluate(row);
      };
      for (double x = 0; x < 4; ++x)
        for (double y = 0; y < 4; ++y) QCOMPARE(value(*one, x, y), value(*other, x, y));
    }
    const auto faulty = Formula::compile("slope = = 3");
    QVERIFY(!faulty);
    const auto points = std::make_shared<const Points>(test::randomPoints(500, {10, 10, 10}, 0.1F, 0.1F, 2));
    const Ledger ledger({{"Points", points}});
    const auto rows = ledger.filtered("x < 2 and y > 5 or z >= 8", {});
    QVERIFY(rows);
    std::size_t wanted = 0;
    for (std::size_t i = 0; i < points->count; ++i) {
      const Vec3 p = points->position[i];
      wanted += (p.x < 2 && p.y > 5) || p.z >= 8;
    }
    QCOMPARE(rows->size(), wanted);
  }

  /// A prop whose file is gone keeps its points, and an export says so instead of giving them to others.
  void nothingTakesThePlaceOfAMissingProp() {
    Plan plan = test::crowdedPlan();
    const auto placed = [](const Plan& p) {
      Evaluator evaluator(std::make_shared<DiskFileService>(test::sourcePath("demo/tern-cove").toStdString()));
      return evaluator.evaluate(p, {});
    };
    const PointsPtr whole = placed(plan).firstOf<PointsPtr>("dress");
    plan.props[1].file = "kit/gone.glb";
    const Evaluation e = placed(plan);
    QCOMPARE(e.propProblems.size(), std::size_t{1});
    QVERIFY(e.propProblems.at(plan.props[1].uid).front().where.find(plan.props[1].name) != std::string::npos);
    QVERIFY(hasWarning(e.reports.at("kit").problems, plan.props[1].name, "Kit"));
    const PointsPtr less = e.firstOf<PointsPtr>("dress");
    QCOMPARE(less->count, whole->count);
    std::size_t missing = 0;
    for (std::size_t i = 0; i < less->count; ++i) {
      const auto nameAt = [&](const Points& p) {
        return p.kit->entries[static_cast<std::size_t>(p.prop[i])].prop->name;
      };
      QCOMPARE(nameAt(*less), nameAt(*whole));
      missing += nameAt(*less) == plan.props[1].name;
    }
    QVERIFY(missing > 100);
    const auto layers = exportLayersOf(plan, e, {});
    QTemporaryDir folder;
    const std::string path = folder.filePath(QStringLiteral("out.glb")).toStdString();
    const auto refused = exportLayers(*layers, path, {}, {});
    QVERIFY(!refused && refused.error().message.find(plan.props[1].name) != std::string::npos);
    QVERIFY(!QFile::exists(QString::fromStdString(path)));
    ExportOptions without;
    without.isWithoutMissing = true;
    const auto report = exportLayers(*layers, path, without, {});
    QVERIFY(report);
    QCOMPARE(report->placements + missing, less->count);
    QVERIFY(hasWarning(report->warnings, plan.props[1].name, "Kit"));
    // Tables need no mesh, but what the report leaves out is not in their rows either.
    const QString table = folder.filePath(QStringLiteral("out.csv"));
    QVERIFY(exportLayers(*layers, table.toStdString(), without, {}));
    QFile rows(table);
    QVERIFY(rows.open(QIODevice::ReadOnly));
    const QByteArray text = rows.readAll();
    QCOMPARE(static_cast<std::size_t>(text.count('\n')) - 1, less->count - missing);
    QVERIFY(!text.contains(QByteArray::fromStdString("," + plan.props[1].name + ",")));
    // The rest of the program stands it: pictures, growth on it, baking.
    std::vector<PointsPtr> bare;
    QVERIFY(PictureScene::build(pictureInputOf(plan, e, {}, bare), {}));
    test::Bench bench;
    (void)bench.points("on-props", test::inputs({{"points", less}}));
    QVERIFY(bench.run("bake-to-mesh", test::inputs({{"points", less}})));
  }
};

QTEST_GUILESS_MAIN(TestNames)
#include "tst_names.moc"
