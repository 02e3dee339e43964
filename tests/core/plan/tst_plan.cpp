// The document as a file, and its evaluation: cache, skipping, failing, cancelling, guards, same file same result.
#include "core/deliver/delivery.h"
#include "core/formats/plan_file.h"
#include "core/masks/place_masks.h"
#include "core/plan/set_param.h"
#include "tests/support/support.h"

#include <QFileInfo>

#include <sys/wait.h>
#include <unistd.h>
#include <chrono>
#include <csignal>
#include <fstream>
#include <thread>

using namespace arvesk;

namespace {

Plan demo(const char* file) {
  auto plan = loadPlan(test::sourcePath(file).toStdString());
  ARVESK_ASSERT(plan, "the demo plan can be read");
  return std::move(*plan);
}

std::shared_ptr<DiskFileService> filesOf(const char* plan) {
  return std::make_shared<DiskFileService>(QFileInfo(test::sourcePath(plan)).absolutePath().toStdString());
}

constexpr const char* kSlope = "demo/examples/one-slope.arvesk";
constexpr const char* kCove = "demo/tern-cove/tern-cove.arvesk";

PointsPtr outputOf(const Evaluation& e, const std::string& uid) {
  return std::get<PointsPtr>(e.values.at(uid).front());
}

}  // namespace

class TestPlan : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void demoPlansAreWrittenAsTheyAreFormatted_data() {
    QTest::addColumn<QString>("file");
    for (const char* file : {kSlope, kCove, "demo/examples/from-your-mesh.arvesk"})
      QTest::newRow(file) << QString::fromLatin1(file);
  }
  void demoPlansAreWrittenAsTheyAreFormatted() {
    QFETCH(QString, file);
    const Plan plan = demo(file.toLatin1().constData());
    QVERIFY(checkPlan(plan).empty());
    const auto again = parsePlan(formatPlan(plan), "again");
    QVERIFY(again);
    QVERIFY(again->nodes == plan.nodes && again->props == plan.props && again->settings == plan.settings);
    QCOMPARE(formatPlan(*again), formatPlan(plan));
  }

  void numbersReadBackBitForBit() {
    Plan plan;
    Node node;
    node.uid = "n";
    node.kind = "region";
    node.version = findNodeKind("region")->version;
    for (int i = 0; i < 2000; ++i) {
      const double v = std::ldexp(unitDouble(mix64(static_cast<std::uint64_t>(i))) - 0.5, i % 36 - 20);
      node.params["center"] = std::vector<double>{v, -v / 3, std::clamp(1 / v, -1e4, 1e4)};
      plan.nodes = {node};
      plan.dials = {{"d", "width", v, -v / 7, {}}};
      const auto read = parsePlan(formatPlan(plan), "");
      QVERIFY(read->dials == plan.dials);
      QVERIFY(read->nodes == plan.nodes);
    }
  }

  void unknownNodesKeysAndParametersSurvive() {
    const std::string text =
        R"({"format":"arvesk-plan","version":1,"weather":{"rain":true},"settings":{"seed":5,"moon":"half"},
      "nodes":[{"uid":"a","kind":"weave-baskets","title":"Baskets","params":{"reeds":12},"inputs":{},"mood":"calm"},
               {"uid":"b","kind":"vary","title":"V","params":{"amount":50,"from_the_future":[1,2]},"inputs":{}}],
      "props":[{"uid":"p","name":"P","file":"p.glb","scent":"salt"}]})";
    const auto plan = parsePlan(text, "test");
    QVERIFY2(plan, plan ? "" : toLine(plan.error()).c_str());
    const QString out = QString::fromStdString(formatPlan(*plan));
    for (const char* kept :
         {"weave-baskets", "\"reeds\"", "\"mood\"", "from_the_future", "\"rain\"", "\"moon\"", "\"scent\""})
      QVERIFY2(out.contains(QLatin1String(kept)), kept);
    QCOMPARE(checkPlan(*plan).front().code, ProblemCode::UnknownKind);
  }

  void badDocumentsAreRefusedWithPlaceAndReason_data() {
    QTest::addColumn<QByteArray>("text");
    QTest::newRow("empty") << QByteArray();
    QTest::newRow("not JSON") << QByteArray("hello");
    QTest::newRow("another format") << QByteArray(R"({"format":"shopping-list"})");
    QTest::newRow("a list") << QByteArray("[1,2]");
    QTest::newRow("node without uid") << QByteArray(R"({"format":"arvesk-plan","nodes":[{"kind":"vary"}]})");
    QTest::newRow("cut short") << QByteArray(R"({"format":"arvesk-plan","nodes":[{"uid":"a")");
    QTest::newRow("deep nesting") << QByteArray(R"({"format":"arvesk-plan","nodes":)") + QByteArray(2000, '[');
  }
  void badDocumentsAreRefusedWithPlaceAndReason() {
    QFETCH(QByteArray, text);
    const auto plan = parsePlan(text.toStdString(), "shore.arvesk");
    QVERIFY(!plan);
    QCOMPARE(plan.error().where, std::string("shore.arvesk"));
    QVERIFY(!plan.error().message.empty());
    for (const char* theirs : {"json", "exception", "parse", "[", "at()"})  // no library speaks
      QVERIFY2(plan.error().message.find(theirs) == std::string::npos, plan.error().message.c_str());
  }
  /// Where a text is no JSON is told by line and column, as editors count them.
  void whatIsNoJsonIsToldByItsPlace() {
    const std::string good = "{\n  \"format\": \"arvesk-plan\",\n  \"nodes\": []\n}\n";
    QVERIFY(parsePlan(good, ""));
    const auto messageOf = [](const std::string& text) { return parsePlan(text, "").error().message; };
    std::string bad = good;
    bad.replace(bad.find("[]"), 2, "[;");
    QCOMPARE(messageOf(bad), std::string("cannot be read as a plan: line 3, column 13 is not as JSON is written"));
    QCOMPARE(messageOf(good.substr(0, good.find("[]"))),
             std::string("cannot be read as a plan: it breaks off in line 3"));
  }

  void mutatedPlansNeverCrash() {
    const std::string good = formatPlan(demo(kSlope));
    int readable = 0;
    for (std::uint64_t seed = 0; seed < 2000; ++seed) {
      std::string bad = good;
      for (int k = 0; k < 3; ++k)
        bad[mix64(seed * 7 + static_cast<std::uint64_t>(k)) % bad.size()] = static_cast<char>(
            mix64(seed * 11 + static_cast<std::uint64_t>(k)) & 127);
      if (const auto plan = parsePlan(bad, "mutated")) {
        ++readable;
        (void)checkPlan(*plan);
      }
    }
    QVERIFY(readable > 20);
  }

  void newerVersionsOpenReadOnly() {
    QTemporaryDir dir;
    const std::string path = dir.filePath(QStringLiteral("new.arvesk")).toStdString();
    std::ofstream(path) << R"({"format":"arvesk-plan","version":99,"nodes":[]})";
    const auto plan = loadPlan(path);
    QVERIFY(plan && plan->isReadOnly);
    QCOMPARE(savePlan(*plan, path).error().code, ProblemCode::FileNewer);
  }

  /// A node of an earlier version of its kind gives now what it gave then, and is saved as it is now; links and dials
  /// come along. One of a later version is not worked out as something else, and is kept.
  void nodesOfOtherVersionsGiveWhatTheyGave() {
    const auto textOf = [](int version, const char* params, const char* follows) {
      return QStringLiteral(
                 R"({"format":"arvesk-plan","version":1,"dials":[{"uid":"d","name":"way","draft":40,"final":40}],
        "nodes":[{"uid":"r","kind":"region","version":%1,"title":"Place","params":%2,"follows":%3}]})")
          .arg(version)
          .arg(QLatin1String(params), QLatin1String(follows))
          .toStdString();
    };
    const auto valuesOf = [](const Plan& plan, const Points& at) {
      const auto files = std::make_shared<DiskFileService>("");
      const MaskPtr mask = Evaluator(files).evaluate(plan, {}).firstOf<MaskPtr>("r");
      return mask ? maskValues({}, *mask, at) : Array<float>();
    };
    const Points at = test::randomPoints(3000, {24, 24, 24}, 0.1F, 0.1F, 5);
    const Quat turn = turnOf({20, 40, -15});  // as version 1 said it: about X, then Y, then Z
    for (const char* shape : {"box", "half-space", "ball"}) {
      const std::string params = std::string("{\"shape\":\"") + shape +
                                 "\",\"center\":[12,12,12],\"extent\":[3,9,20],\"softness\":2,\"turn\":[20,40,-15]}";
      const auto plan = parsePlan(textOf(1, params.c_str(), "{}"), "old");
      QVERIFY(plan && checkPlan(*plan).empty());
      const RegionShape form = shape == std::string("box")    ? RegionShape::Box
                               : shape == std::string("ball") ? RegionShape::Ball
                                                              : RegionShape::HalfSpace;
      const Array<float> then = maskValues({}, *makeRegionMask({form, Vec3(12), {3, 9, 20}, turn, 2}, {}), at);
      const Array<float> now = valuesOf(*plan, at);
      QCOMPARE(now.size(), then.size());
      for (std::size_t i = 0; i < then.size(); ++i)
        QVERIFY(test::within(static_cast<double>(now[i]), static_cast<double>(then[i]), 1e-4));
      // As it stands in the file, until something is changed.
      QCOMPARE(formatPlan(*plan), textOf(1, params.c_str(), "{}"));
      Plan changed = *plan;
      changed.nodes.front().title = "Another place";
      const std::string saved = formatPlan(changed);
      QVERIFY(saved.find("\"turn\"") == std::string::npos && saved.find("\"tilt\"") != std::string::npos);
      QCOMPARE(formatPlan(*parsePlan(saved, "again")), saved);
    }
    // What followed a dial follows it still.
    const char* followed = R"({"shape":"box","center":[12,12,12],"extent":[3,9,20],"softness":2,"turn":[20,0,-15]})";
    const auto plan = parsePlan(textOf(1, followed, R"({"turn.1":"way"})"), "old");
    QVERIFY(plan && plan->nodes.front().follows.contains("tilt.1"));
    const Array<float> then = maskValues({}, *makeRegionMask({RegionShape::Box, Vec3(12), {3, 9, 20}, turn, 2}, {}),
                                         at);
    const Array<float> now = valuesOf(*plan, at);
    for (std::size_t i = 0; i < then.size(); ++i)
      QVERIFY(test::within(static_cast<double>(now[i]), static_cast<double>(then[i]), 1e-4));

    const auto later = parsePlan(textOf(99, R"({"shape":"box","wobble":3})", "{}"), "later");
    QVERIFY(later);
    QVERIFY(valuesOf(*later, at).empty());
    QVERIFY(
        QString::fromStdString(toLine(checkPlan(*later).front())).contains(QStringLiteral("newer version of Region")));
    const std::string kept = formatPlan(*later);
    QVERIFY(kept.find("wobble") != std::string::npos && kept.find("99") != std::string::npos);
  }

  // The process is killed at many moments while it saves again and again: the file is always one of the two whole
  // plans.
  void killedWhileSavingLeavesAWholeFile() {
    QTemporaryDir dir;
    const std::string path = dir.filePath(QStringLiteral("plan.arvesk")).toStdString();
    const Plan small = demo(kSlope);
    const Plan large = demo(kCove);
    QVERIFY(savePlan(small, path));
    for (int round = 0; round < 200; ++round) {
      const pid_t child = ::fork();
      if (child == 0) {
        for (int i = 0;; ++i) (void)savePlan(i % 2 ? small : large, path);
      }
      std::this_thread::sleep_for(std::chrono::microseconds(300 + 97 * round));
      ::kill(child, SIGKILL);
      ::waitpid(child, nullptr, 0);
      const auto plan = loadPlan(path);
      QVERIFY2(plan, plan ? "" : toLine(plan.error()).c_str());
      QVERIFY(plan->nodes == small.nodes || plan->nodes == large.nodes);
    }
  }

  void sameFileSameResultBitForBit() {
    const Plan plan = demo(kSlope);
    const auto again = parsePlan(formatPlan(plan), "");
    const Evaluation a = Evaluator(filesOf(kSlope)).evaluate(plan, {});
    const Evaluation b = Evaluator(filesOf(kSlope)).evaluate(*again, {});
    QVERIFY(outputOf(a, "out")->count > 1000);
    const auto difference = findDifference(*outputOf(a, "out"), *outputOf(b, "out"));
    QVERIFY2(!difference, difference ? difference->c_str() : "");
  }

  void onlyWhatDependsOnAChangeIsComputedAgain() {
    Plan plan = demo(kSlope);
    Evaluator evaluator(filesOf(kSlope));
    (void)evaluator.evaluate(plan, {});
    QVERIFY(setParamByText(plan, "Level places.slope=0,0,10,12"));
    const Evaluation e = evaluator.evaluate(plan, {});
    for (const char* same : {"ground", "sow", "kit"}) QVERIFY2(e.reports.at(same).isFromCache, same);
    for (const char* anew : {"slope", "dress", "out"}) QVERIFY2(!e.reports.at(anew).isFromCache, anew);
    plan.settings.seed = 9;
    const Evaluation f = evaluator.evaluate(plan, {});
    QVERIFY(f.reports.at("ground").isFromCache && !f.reports.at("sow").isFromCache);
    plan.find("sow")->isSeedLocked = true;
    const PointsPtr locked = outputOf(evaluator.evaluate(plan, {}), "sow");
    plan.settings.seed = 10;
    QVERIFY(!findDifference(*locked, *outputOf(evaluator.evaluate(plan, {}), "sow")));
  }

  void cacheKeepsItsLimit() {
    Plan plan = demo(kSlope);
    Evaluator evaluator(filesOf(kSlope));
    EvalRequest request;
    request.limits.cacheBytes = 3'000'000;
    for (int i = 0; i < 12; ++i) {
      plan.settings.seed = static_cast<std::uint64_t>(i);
      (void)evaluator.evaluate(plan, request);
      QVERIFY(evaluator.cacheBytes() <= 3'000'000 + 2'000'000);  // the newest result stays, whatever its size
    }
  }

  void skippedNodesPassTheirMainInput() {
    Plan plan = demo(kSlope);
    QVERIFY(setParamByText(plan, "slope.skip=true"));
    const Evaluation e = Evaluator(filesOf(kSlope)).evaluate(plan, {});
    QCOMPARE(e.reports.at("slope").state, NodeState::Skipped);
    QCOMPARE(outputOf(e, "out")->count, outputOf(e, "sow")->count);
    // Without an input of its output's type a skipped node has nothing to give, and its users say what they miss.
    QVERIFY(setParamByText(plan, "sow.skip=true"));
    const Evaluation f = Evaluator(filesOf(kSlope)).evaluate(plan, {});
    QVERIFY(!f.reports.at("sow").problems.empty());
    QCOMPARE(f.reports.at("dress").state, NodeState::Failed);
    QCOMPARE(f.reports.at("dress").problems.front().code, ProblemCode::MissingInput);
  }

  void loopsAreFoundNotFollowed() {
    Plan plan = demo(kSlope);
    plan.find("sow")->inputs["where"] = {{"slope", "points", "s"}};
    plan.find("slope")->inputs["where"] = {{"out", "placed", "s"}};
    QVERIFY(wouldLoop(plan, "slope", "sow"));
    const Evaluation e = Evaluator(filesOf(kSlope)).evaluate(plan, {});
    QVERIFY(e.reports.at("out").state != NodeState::Done);
    const auto problems = checkPlan(plan);
    QVERIFY(std::any_of(problems.begin(), problems.end(), [](const Problem& p) {
      return p.code == ProblemCode::Loop || p.code == ProblemCode::WrongInput;
    }));
  }

  void cancellingStopsSoon() {
    Plan plan = demo(kSlope);
    plan.find("sow")->params["density"] = 6000.0;  // some millions of points
    const auto since = [](std::chrono::steady_clock::time_point start) {
      return std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - start).count();
    };
    const auto start = std::chrono::steady_clock::now();
    QVERIFY(!Evaluator(filesOf(kSlope)).evaluate(plan, {}).isCancelled);
    const double whole = since(start);
    Evaluator evaluator(filesOf(kSlope));
    std::stop_source stop;
    EvalRequest request;
    request.task.stop = stop.get_token();
    std::chrono::steady_clock::time_point asked;
    std::jthread canceller([&] {
      std::this_thread::sleep_for(std::chrono::duration<double, std::milli>(whole / 10));
      asked = std::chrono::steady_clock::now();
      stop.request_stop();
    });
    const Evaluation e = evaluator.evaluate(plan, request);
    const double late = since(asked);
    QVERIFY(e.isCancelled);
    // The design asks for 100 ms; a busy machine is slow in both, so the deadline is a share of the whole.
    QVERIFY2(late < whole / 3, qPrintable(QStringLiteral("%1 of %2 ms after the cancel").arg(late).arg(whole)));
    QVERIFY(!e.values.contains("out"));
  }

  void explosionsAreGuarded() {
    Plan plan = demo(kSlope);
    plan.find("sow")->params["density"] = 900000.0;
    const Evaluation e = Evaluator(filesOf(kSlope)).evaluate(plan, {});
    const Problem& p = e.reports.at("sow").problems.front();
    QCOMPARE(p.code, ProblemCode::TooMany);
    QVERIFY(QString::fromStdString(p.message).contains(QStringLiteral("the limit is 20000000")));
    QCOMPARE(p.advice, std::string("Lower the density"));
  }

  void copiedNodesAreAnotherDraw() {
    Plan plan = demo(kSlope);
    Node copy = *plan.find("sow");
    copy.uid = "sow-again";
    plan.nodes.push_back(copy);
    const Evaluation e = Evaluator(filesOf(kSlope)).evaluate(plan, {});
    QVERIFY(findDifference(*outputOf(e, "sow"), *outputOf(e, "sow-again")));
  }

  void parametersAreSetByText_data() {
    QTest::addColumn<QString>("text");
    QTest::addColumn<QString>("error");  // empty: fine
    QTest::newRow("by title") << "Level places.slope=0,0,20,25"
                              << "";
    QTest::newRow("by uid") << "sow.density=3.5"
                            << "";
    QTest::newRow("choice") << "sow.way=even"
                            << "";
    QTest::newRow("no such node") << "Moss.density=1"
                                  << "no node has the title or uid \"Moss\"";
    QTest::newRow("no such parameter") << "sow.wind=1"
                                       << "Pebbles has no parameter \"wind\"";
    QTest::newRow("no such choice") << "sow.way=wild"
                                    << "Spread is \"wild\", must be one of free, even";
    QTest::newRow("not a number") << "sow.density=lots"
                                  << "\"lots\" is not a number";
    QTest::newRow("band falls") << "slope.slope=9,5,3,1"
                                << "Slope: the band's four numbers must not fall";
    QTest::newRow("no equals sign") << "sow.density"
                                    << "\"sow.density\" is not of the form node.parameter=value";
  }
  void parametersAreSetByText() {
    QFETCH(QString, text);
    QFETCH(QString, error);
    Plan plan = demo(kSlope);
    const auto ok = setParamByText(plan, text.toStdString());
    QCOMPARE(ok ? QString() : QString::fromStdString(ok.error().message), error);
  }
};

QTEST_GUILESS_MAIN(TestPlan)
#include "tst_plan.moc"
