// Memory runs out at any moment of work in the window: there is a message, the window stays, and the plan can be saved.
#include "app/model/worker.h"
#include "app/window/application.h"
#include "app/window/export_window.h"
#include "core/base/reserve.h"
#include "core/formats/plan_file.h"
#include "tests/app/window_test.h"
#include "tests/support/short_memory.h"

#include <QPushButton>
#include <QToolButton>

using namespace arvesk;
using test::g_allocations;

class TestShortMemory : public test::WindowTest {
  Q_OBJECT

  int m_said = 0;

  /// What people do all day, a piece at a time; `n` varies it.
  void work(int what, int n, const QString& folder) {
    const std::vector<Node>& nodes = document().nodes;
    switch (what) {
      case 0:
        if (!nodes.empty())
          QTest::mouseClick(
              paper(), Qt::LeftButton, {},
              plan().centerOf(QString::fromStdString(nodes[static_cast<std::size_t>(n) % nodes.size()].uid)));
        break;
      case 1: w().model().edit(QStringLiteral("Seed"), [&](Plan& p) { p.settings.seed += 1; }); break;
      case 2: trigger("edit_undo"); break;
      case 3: trigger("edit_redo"); break;
      case 4: w().model().addNode(*findNodeKind("vary"), 10, 10 * n); break;
      case 5:
        for (const char* view : {"view_ledger", "view_schedule", "view_bench"}) trigger(view);
        break;
      case 6:
        w().showKit(true);
        QCoreApplication::processEvents();
        w().showKit(false);
        break;
      case 7: (void)w().saveTo(folder + QStringLiteral("/saved.arvesk")); break;
      case 8: {
        w().openExport();
        auto* window = w().findChild<ExportWindow*>(QStringLiteral("export_window"));
        if (!window) break;
        window->findChild<QLineEdit*>(QStringLiteral("export_path"))->setText(folder + QStringLiteral("/out.csv"));
        QTest::mouseClick(window->findChild<QPushButton*>(QStringLiteral("export_start")), Qt::LeftButton);
        (void)QTest::qWaitFor([&] { return !window->isBusy(); }, 60'000);
        window->close();
        QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
        break;
      }
      default:
        for (QToolButton* mode : w().findChildren<QToolButton*>())
          if (mode->objectName().startsWith(QLatin1String("mode_")) && mode->isVisible() && mode->isEnabled())
            QTest::mouseClick(mode, Qt::LeftButton);
    }
    QTest::qWait(5);
  }

 private Q_SLOTS:
  void initTestCase() {
    startTests();
    connect(&WorkerFailures::all(), &WorkerFailures::happened, this, [this] { ++m_said; });
  }

  void atAnyMoment_data() {
    QTest::addColumn<int>("what");
    const char* const names[] = {"click a card", "edit", "undo", "redo",   "add a node",
                                 "tabs",         "kit",  "save", "export", "modes"};
    for (int i = 0; i < static_cast<int>(std::size(names)); ++i) QTest::newRow(names[i]) << i;
  }
  void atAnyMoment() {
    QFETCH(int, what);
    QTemporaryDir dir;
    openWindow();
    QVERIFY(w().openFile(test::sourcePath("demo/examples/one-slope.arvesk")));
    waitForResults();
    plan().fitAll();
    QTimer butler;  // answers what is asked
    connect(&butler, &QTimer::timeout, [] {
      if (auto* modal = qobject_cast<QDialog*>(QApplication::activeModalWidget())) modal->reject();
    });
    butler.start(30);
    test::g_onlyOwn = test::g_isLasting = true;
    const long before = g_allocations;
    work(what, 0, dir.path());
    const long all = std::max(1L, g_allocations - before);
    const int saidBefore = m_said;
    for (int k = 0; k < 25; ++k) {
      test::endMemoryAt(static_cast<long>(mix64(static_cast<std::uint64_t>(k)) % static_cast<std::uint64_t>(all)));
      (void)withinBorder([&] { work(what, k, dir.path()); });  // here it is called, not sent
      QTest::qWait(20);
      test::endMemoryAt(-1);
    }
    test::g_onlyOwn = test::g_isLasting = false;
    qInfo("%ld allocations; %d messages in 25 trials", all, m_said - saidBefore);
    // All goes on.
    QVERIFY(w().isVisible());
    w().model().edit(QStringLiteral("Seed"), [](Plan& p) { p.settings.seed = 77; });
    waitForResults();
    const QString saved = dir.filePath(QStringLiteral("after.arvesk"));
    QVERIFY(w().saveTo(saved));
    const auto read = loadPlan(saved.toStdString());
    QVERIFY(read.has_value());
    QCOMPARE(read->settings.seed, std::uint64_t{77});
    for (const Node& node : document().nodes)
      if (const auto it = w().service().latest()->evaluation.reports.find(node.uid);
          node.kind != "vary" && it != w().service().latest()->evaluation.reports.end())
        QCOMPARE(it->second.state, NodeState::Done);
    m_window.reset();
  }
};

int main(int argc, char** argv) {
  holdReserve();
  Application app(argc, argv);  // the one that ends exceptions at its border
  TestShortMemory test;
  return QTest::qExec(&test, argc, argv);
}
#include "tst_short_memory.moc"
