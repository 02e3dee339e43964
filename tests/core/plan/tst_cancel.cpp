// Cancelling: whatever a plan is at, it ends soon after it is not wanted any more, and leaves nothing half done behind.
// How soon is printed, not asserted: a busy machine may take its time.
#include "core/formats/plan_file.h"
#include "tests/support/plans.h"

#include <QElapsedTimer>

#include <condition_variable>
#include <fstream>
#include <mutex>
#include <thread>

using namespace arvesk;
using test::node;
using test::planOf;

namespace {

const std::string kEven = "even";

/// 1 × 1 km in two million triangles.
Node largeGround() {
  return node("ground", "shape",
              {{"form", std::string("plane")}, {"extent", std::vector<double>{1000, 1, 1000}}, {"divisions", 1000.0}});
}
Node ball() { return node("ground", "shape", {{"form", std::string("ball")}, {"radius", 10.0}, {"divisions", 700.0}}); }
Node sown(double density) { return node("sow", "sow-on-surface", {{"density", density}}, {{"surface", "ground"}}); }
Node few() { return node("few", "sow-on-surface", {{"density", 0.01}}, {{"surface", "ground"}}); }

/// A gray TIFF in one strip (TIFF 6.0), 16 bits, little endian.
void writeTiff(const std::string& path, std::uint32_t side) {
  std::string out = "II*";
  const auto put = [&](std::uint64_t v, int bytes) {
    for (int i = 0; i < bytes; ++i) out += static_cast<char>(v >> (8 * i) & 0xff);
  };
  put(0, 1);
  const std::initializer_list<std::array<std::uint32_t, 3>> tags{
      {256, 4, side}, {257, 4, side}, {258, 3, 16},
      {259, 3, 1},    {262, 3, 1},    {273, 4, 8 + 2 + 9 * 12 + 4},
      {277, 3, 1},    {278, 4, side}, {279, 4, 2 * side * side}};
  put(8, 4);
  put(tags.size(), 2);
  for (const auto& [tag, type, value] : tags) {
    put(tag, 2);
    put(type, 2);
    put(1, 4);
    put(value, 4);
  }
  put(0, 4);
  for (std::uint32_t y = 0; y < side; ++y)
    for (std::uint32_t x = 0; x < side; ++x) put((x * 7 + y * 3) & 0xffff, 2);
  std::ofstream(path, std::ios::binary) << out;
}

}  // namespace

class TestCancel : public QObject {
  Q_OBJECT

  QTemporaryDir m_dir;
  std::shared_ptr<DiskFileService> m_files;

  struct Ended {
    double milliseconds = 0;  // from the cancel on
    bool isCancelled = false;
  };
  /// Evaluates, and cancels after a while.
  Ended cancelledAfter(const Plan& plan, double milliseconds) {
    std::stop_source stop;
    EvalRequest request;
    request.task.stop = stop.get_token();
    QElapsedTimer since;
    std::mutex mutex;
    std::condition_variable ended;
    bool isEnded = false;
    std::jthread other([&] {
      std::unique_lock lock(mutex);
      ended.wait_for(lock, std::chrono::microseconds(static_cast<std::int64_t>(milliseconds * 1000)),
                     [&] { return isEnded; });
      since.start();
      stop.request_stop();
    });
    const Evaluation e = Evaluator(m_files).evaluate(plan, request);
    {
      const std::lock_guard lock(mutex);
      isEnded = true;
    }
    ended.notify_all();
    other.join();
    const double after = e.isCancelled ? static_cast<double>(since.nsecsElapsed()) / 1e6 : 0;
    return {after, e.isCancelled};
  }

 private Q_SLOTS:
  void initTestCase() {
    setMemoryLimit(std::size_t{64} << 30);  // on small machines too: it is not asked about here
    m_files = std::make_shared<DiskFileService>(
        m_dir.path().toStdString(), FilePlaces{{}, m_dir.filePath(QStringLiteral("cache")).toStdString(), {}});
    writeTiff(m_dir.filePath(QStringLiteral("large.tif")).toStdString(), 6000);
    std::ofstream(m_dir.filePath(QStringLiteral("sliver.obj")).toStdString())
        << "v 0 0 0\nv 400 0 0\nv 400 0 0.02\nv 0 0 0.02\nf 1 4 3\nf 1 3 2\n";
  }

  void heavyWork_data() {
    QTest::addColumn<int>("which");
    const char* const names[] = {"sow",
                                 "exact total",
                                 "even",
                                 "even on a sliver",
                                 "clearance",
                                 "order",
                                 "merge",
                                 "blur",
                                 "terrain",
                                 "solid",
                                 "triangles of a volume",
                                 "mist",
                                 "openness",
                                 "distance",
                                 "clumps",
                                 "set down",
                                 "make room",
                                 "vertices",
                                 "cells",
                                 "depth outside",
                                 "in volume",
                                 "even in volume",
                                 "crowding",
                                 "hollows",
                                 "vary"};
    for (int i = 0; i < static_cast<int>(std::size(names)); ++i) QTest::newRow(names[i]) << i;
  }
  static Plan planFor(int which) {
    switch (which) {
      case 0: return planOf({largeGround(), sown(19)});
      case 1:
        return planOf({largeGround(), node("sow", "sow-on-surface", {{"amount", std::string("total")}, {"total", 12e6}},
                                           {{"surface", "ground"}})});
      case 2:
        return planOf({largeGround(),
                       node("sow", "sow-on-surface", {{"way", kEven}, {"spacing", 0.55}}, {{"surface", "ground"}})});
      case 3:
        return planOf({node("ground", "mesh-file", {{"file", std::string("sliver.obj")}}),
                       node("sow", "sow-on-surface", {{"way", kEven}, {"spacing", 0.003}}, {{"surface", "ground"}})});
      case 4: return planOf({largeGround(), sown(6), node("thin", "clearance", {}, {{"points", "sow"}})});
      case 5:
        return planOf(
            {largeGround(), sown(12), node("order", "order", {{"by", std::string("chance")}}, {{"points", "sow"}})});
      case 6:
        return planOf({largeGround(), sown(6), node("vary", "vary", {}, {{"points", "sow"}}),
                       node("merge", "merge", {}, {{"points", "sow|vary"}})});
      case 7:
        return planOf(
            {largeGround(), sown(1),
             node("mask", "picture", {{"file", std::string("large.tif")}, {"blur", 300.0}}, {{"ground", "ground"}}),
             node("keep", "keep-by-mask", {}, {{"points", "sow"}, {"mask", "mask"}})});
      case 8:
        return planOf({node("ground", "terrain", {{"file", std::string("large.tif")}, {"width", 1000.0}}), sown(1)});
      case 9: return planOf({ball(), node("solid", "solid", {}, {{"surfaces", "ground"}})});
      case 10:
        return planOf({ball(), node("solid", "solid", {{"voxel_size", 0.05}}, {{"surfaces", "ground"}}),
                       node("mesh", "surface-of-volume", {}, {{"volume", "solid"}})});
      case 11:
        return planOf(
            {largeGround(), few(),
             node("mist", "mist",
                  {{"radius_by", std::string("range")}, {"radii", std::vector<double>{3, 5}}, {"voxel_size", 0.5}},
                  {{"points", "few"}})});
      case 12:
        return planOf({largeGround(), sown(1), node("mask", "openness", {{"reach", 50.0}}, {{"ground", "ground"}}),
                       few(), node("keep", "keep-by-mask", {}, {{"points", "sow"}, {"mask", "mask"}})});
      case 13:
        return planOf({largeGround(), sown(5), node("mask", "distance", {}, {{"points", "sow"}}),
                       node("keep", "keep-by-mask", {}, {{"points", "sow"}, {"mask", "mask"}})});
      case 14:
        return planOf({largeGround(), sown(0.5),
                       node("clumps", "clumps", {{"count", 20.0}}, {{"parents", "sow"}, {"ground", "ground"}})});
      case 15:
        return planOf(
            {largeGround(), sown(5), node("down", "set-down", {}, {{"points", "sow"}, {"ground", "ground"}})});
      case 16:
        return planOf({largeGround(), sown(1), node("room", "make-room", {{"rounds", 100.0}}, {{"points", "sow"}})});
      case 17:
        return planOf(
            {largeGround(), node("of", "points-of-surface", {{"of", std::string("vertex")}}, {{"surface", "ground"}})});
      case 18:
        return planOf({largeGround(), node("of", "points-of-surface",
                                           {{"of", std::string("cell")}, {"cell", std::vector<double>{1, 1, 1}}},
                                           {{"surface", "ground"}})});
      case 19:
        return planOf({largeGround(), node("space", "space-over-ground", {}, {{"ground", "ground"}}), sown(0.5),
                       node("mask", "depth", {{"band", std::vector<double>{-3, -1, 0, 0}}}, {{"volume", "space"}}),
                       node("keep", "keep-by-mask", {}, {{"points", "sow"}, {"mask", "mask"}})});
      case 20:
        return planOf({ball(), node("solid", "solid", {}, {{"surfaces", "ground"}}),
                       node("sow", "sow-in-volume", {{"density", 3500.0}}, {{"volume", "solid"}})});
      case 21:
        return planOf({ball(), node("solid", "solid", {}, {{"surfaces", "ground"}}),
                       node("sow", "sow-in-volume", {{"way", kEven}, {"spacing", 0.15}}, {{"volume", "solid"}})});
      case 22:
        return planOf({largeGround(), sown(3), node("mask", "crowding", {{"radius", 3.0}}, {{"points", "sow"}}),
                       node("keep", "keep-by-mask", {}, {{"points", "sow"}, {"mask", "mask"}})});
      case 23:
        return planOf({largeGround(), sown(1), node("mask", "hollows", {}, {{"ground", "ground"}}),
                       node("keep", "keep-by-mask", {}, {{"points", "sow"}, {"mask", "mask"}})});
      default: return planOf({largeGround(), sown(10), node("vary", "vary", {}, {{"points", "sow"}})});
    }
  }
  /// Each is cancelled at a few moments; a whole evaluation says how long it takes.
  void heavyWork() {
    QFETCH(int, which);
    const Plan plan = planFor(which);
    for (const Problem& p : checkPlan(plan)) QVERIFY2(p.severity != Severity::Error, toLine(p).c_str());
    m_files->memory().clear();
    QElapsedTimer whole;
    whole.start();
    const Ended all = cancelledAfter(plan, 1'500);  // whoever takes longer has been long enough
    const double takes = static_cast<double>(whole.elapsed());
    double worst = all.isCancelled ? all.milliseconds : 0;
    int cancels = all.isCancelled ? 1 : 0;
    for (int k = 1; k < 4; ++k) {
      m_files->memory().clear();
      const Ended one = cancelledAfter(plan, std::min(takes, 1'500.0) * k / 4.5);
      worst = std::max(worst, one.milliseconds);
      cancels += one.isCancelled ? 1 : 0;
    }
    qInfo("takes %.0f ms%s; %d cancels, the last came back after %.0f ms", takes, all.isCancelled ? " or more" : "",
          cancels, worst);
    QVERIFY2(cancels > 1, "it was cancelled in the midst of its work");
    if (all.isCancelled) return;
    // What was left half done is not taken for whole.
    EvalRequest request;
    const Evaluation e = Evaluator(m_files).evaluate(plan, request);
    for (const auto& [uid, report] : e.reports)
      QVERIFY2(report.state == NodeState::Done,
               report.problems.empty() ? uid.c_str() : toLine(report.problems.front()).c_str());
  }

  void committed_data() { test::committedPlans(); }
  /// Cancelled at any moment, plans give the same afterwards as if nothing had been.
  void committed() {
    QFETCH(QString, file);
    const auto plan = loadPlan(test::sourcePath(qPrintable(file)).toStdString());
    QVERIFY(plan.has_value());
    const auto fresh = [&] { return std::make_shared<DiskFileService>(test::folderOf(file)); };
    EvalRequest request;
    QElapsedTimer clock;
    clock.start();
    const Evaluation good = Evaluator(fresh()).evaluate(*plan, request);
    const double takes = static_cast<double>(clock.elapsed());
    m_files = fresh();
    for (int k = 0; k < 5; ++k) {
      (void)cancelledAfter(*plan, takes * unitDouble(mix64(static_cast<std::uint64_t>(k))));
      if (k % 3 == 2) m_files->memory().clear();
    }
    const Evaluation after = Evaluator(m_files).evaluate(*plan, request);
    QVERIFY(!after.isCancelled);
    QCOMPARE(after.reports.size(), good.reports.size());
    for (const auto& [uid, values] : good.values) {
      QVERIFY2(after.values.contains(uid), uid.c_str());
      QVERIFY2(test::fingerprint(after.values.at(uid)) == test::fingerprint(values), uid.c_str());
    }
  }
};

QTEST_GUILESS_MAIN(TestCancel)
#include "tst_cancel.moc"
