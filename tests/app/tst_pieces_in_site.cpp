// Broken things in the window: picked by what they were broken off, counted so, their cuts in a color of their own;
// and a body that is open, closed at a click.
#include "app/ledger/ledger_view.h"
#include "app/schedule/schedule_view.h"
#include "app/site/site_view.h"
#include "core/formats/plan_file.h"
#include "tests/app/window_test.h"
#include "tests/support/plans.h"

#include <QTableView>

using namespace arvesk;

class TestPiecesInSite : public test::WindowTest {
  Q_OBJECT

  SiteView& site() { return *w().findChild<SiteView*>(QStringLiteral("site")); }
  void openBroken() {
    QVERIFY(w().openFile(test::sourcePath("demo/examples/broken.arvesk")));
    waitForResults();
  }

 private Q_SLOTS:
  void initTestCase() { startTests(); }
  void init() { openWindow(); }

  void aPieceLeadsToAllOfItsWhole() {
    openBroken();
    const EvalViewPtr view = w().service().latest();
    const auto layer = std::find_if(view->shown.begin(), view->shown.end(), [](const PictureLayer& l) {
      return l.points->count > 0 && ownerKeyOf(*l.points, 0) != 0;
    });
    QVERIFY(layer != view->shown.end());
    const Points& p = *layer->points;
    site().select({{layer->source, {p.id[0]}}});
    trigger("site_same_owner");
    QTRY_VERIFY(countOf(site().selected()) > 1);
    std::size_t others = 0;
    for (std::size_t i = 0; i < p.count; ++i) {
      const bool isOf = ownerKeyOf(p, i) == ownerKeyOf(p, 0);
      QCOMPARE(site().selected().at(layer->source).contains(p.id[i]), isOf);
      others += isOf ? 0 : 1;
    }
    QVERIFY(others > 0);
  }

  /// One row for each thing that was broken; a double click picks its pieces, all of them and nothing else.
  void theScheduleCountsWholes() {
    openBroken();
    w().showBottom(MainWindow::Bottom::Schedule);
    ScheduleModel& table = w().schedule().table();
    QTRY_VERIFY_WITH_TIMEOUT(table.rowCount() > 3 && !w().schedule().isBusy(), 20'000);
    auto* view = w().schedule().findChild<QTableView*>(QStringLiteral("schedule_table"));
    int ofPieces = -1;
    std::size_t sum = 0;
    for (int row = 1; row < table.rowCount(); ++row) {
      const ScheduleRow& r = table.schedule().rows[static_cast<std::size_t>(row) - 1];
      sum += r.count;
      if (r.pieces == 0) continue;
      ofPieces = row;
      QCOMPARE(table.data(table.index(row, 0), Qt::DisplayRole).toString(),
               QStringLiteral("%1, in pieces").arg(QString::fromStdString(r.name)));
      QVERIFY(r.owners > 0 && r.owners < r.count && r.pieces <= r.count);
    }
    QCOMPARE(sum, table.schedule().count);
    QVERIFY(ofPieces > 0);
    const ScheduleRow row = table.schedule().rows[static_cast<std::size_t>(ofPieces) - 1];
    view->scrollTo(table.index(ofPieces, 1));
    const QPoint at = view->visualRect(table.index(ofPieces, 1)).center();
    QTest::mouseClick(view->viewport(), Qt::LeftButton, {}, at);
    QTest::mouseDClick(view->viewport(), Qt::LeftButton, {}, at);
    QTRY_COMPARE(countOf(site().selected()), row.count);
  }

  void cutsHaveAColorOnDemand() {
    openBroken();
    const PlanPtr untouched = w().model().snapshot();
    QVERIFY(!w().service().latest()->scene->input().areCutsShown);
    trigger("site_cut_faces");
    QTRY_VERIFY_WITH_TIMEOUT(w().service().latest()->scene->input().areCutsShown, 20'000);
    trigger("site_cut_faces");
    QTRY_VERIFY_WITH_TIMEOUT(!w().service().latest()->scene->input().areCutsShown, 20'000);
    QVERIFY(w().model().snapshot() == untouched);
  }

  void theLedgerTellsWhatAPieceMeets() {
    openBroken();
    w().showBottom(MainWindow::Bottom::Ledger);
    auto* ledger = w().findChild<LedgerView*>();
    QTRY_VERIFY(ledger && !ledger->isBusy());
    auto* view = ledger->findChild<QTableView*>();
    int meets = -1;
    for (int c = 0; c < view->model()->columnCount(); ++c)
      if (view->model()->headerData(c, Qt::Horizontal).toString() == QStringLiteral("meets")) meets = c;
    QVERIFY(meets >= 0);
    int told = 0;
    for (int r = 0; r < view->model()->rowCount(); ++r)
      told += view->model()->index(r, meets).data().toString().contains(QStringLiteral(" m²")) ? 1 : 0;
    QVERIFY(told > 20);
  }

  void anOpenBodyIsClosedAtAClick() {
    Plan made = test::planOf({test::node("Pan", "shape", {{"form", std::string("ball")}}),
                              test::node("Half", "part-of-surface", {}, {{"surface", "Pan"}, {"mask", "Low"}}),
                              test::node("Low", "height", {{"band", std::vector<double>{-9, -8, 0, 0.1}}}),
                              test::node("Break", "break-up", {{"count", 8.0}}, {{"body", "Half"}}),
                              test::node("Home", "at-home", {}, {{"kit", "Break.kit"}}),
                              test::node("All", "output", {}, {{"points", "Home"}})});
    for (std::size_t i = 0; i < made.nodes.size(); ++i) made.nodes[i].y = 100 * static_cast<double>(i);
    const QString file = m_dir.filePath(QStringLiteral("open.arvesk"));
    QVERIFY(savePlan(made, file.toStdString()));
    QVERIFY(w().openFile(file));
    waitForResults();
    QCOMPARE(report("Break").state, NodeState::Failed);
    plan().select({QStringLiteral("Break")});
    auto* button = w().findChild<QPushButton*>(QStringLiteral("remedy"));
    QTRY_VERIFY(button->isVisible());
    QCOMPARE(button->text(), QStringLiteral("Close it with Solid"));
    const std::string slot = document().find("Break")->inputs.at("body").front().slot;
    QTest::mouseClick(button, Qt::LeftButton);
    QCOMPARE(document().nodes.size(), made.nodes.size() + 2);
    waitForResults();
    QVERIFY2(report("Break").state != NodeState::Failed,
             report("Break").problems.empty() ? "" : report("Break").problems[0].message.c_str());
    QVERIFY(!button->isVisible());
    QCOMPARE(document().find("Break")->inputs.at("body").front().slot, slot);
    QVERIFY(w().service().latest()->totals.placements >= 8);
    std::set<std::pair<double, double>> places;  // no card lies on another one
    for (const Node& n : document().nodes)
      if (n.kind != "height") QVERIFY(places.insert({n.x, n.y}).second);
    trigger("edit_undo");
    QCOMPARE(document().nodes.size(), made.nodes.size());
  }
};

QTEST_MAIN(TestPiecesInSite)
#include "tst_pieces_in_site.moc"
