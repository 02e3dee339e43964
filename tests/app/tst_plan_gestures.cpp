// The Plan's gestures beyond connecting: box select, cards let go on ribbons, links to empty paper, stubs, beds, notes,
// chains, find, tidy, dials.
#include "core/formats/plan_file.h"
#include "tests/app/window_test.h"

#include <QElapsedTimer>
#include <QLabel>
#include <QPlainTextEdit>
#include <QToolButton>

using namespace arvesk;

class TestPlanGestures : public test::WindowTest {
  Q_OBJECT

  void open(const char* file) {
    QVERIFY(w().openFile(test::sourcePath(file)));
    waitForResults();
    plan().setFocus();
  }
  QPoint stubPlace(const char* uid) {
    for (const PlanStub& s : plan().layoutNow().stubs)
      if (s.uid == uid) return plan().slotPlace(QString::fromLatin1(uid), s.output) + QPoint(0, 8);
    return {-1, -1};
  }

 private Q_SLOTS:
  void initTestCase() { startTests(); }
  void init() { openWindow(); }
  void cleanup() { m_window.reset(); }

  void aBoxSelectsCards() {
    open("demo/examples/one-slope.arvesk");
    const QRectF first = plan().layoutNow().card("ground")->rect;
    const QPoint corner = plan().centerOf(QStringLiteral("ground")) - QPoint(60, 14);
    QVERIFY(first.height() > 10);
    drag(corner - QPoint(30, 8), plan().centerOf(QStringLiteral("slope")));
    QStringList selected = plan().selection();
    selected.sort();
    QCOMPARE(selected, (QStringList{QStringLiteral("ground"), QStringLiteral("slope"), QStringLiteral("sow")}));
  }

  void aCardLetGoOnARibbonGoesIn() {
    open("demo/examples/one-slope.arvesk");
    const QString vary = w().model().addNode(*findNodeKind("vary"), 400, 230);
    waitForResults();
    drag(plan().centerOf(vary), plan().ribbonPlace(QStringLiteral("sow"), QStringLiteral("slope")));
    QCOMPARE(document().find("slope")->inputs.at("points").front().node, vary.toStdString());
    QCOMPARE(document().find(vary.toStdString())->inputs.at("points").front().node, std::string("sow"));
  }

  void whatWasLeftOutIsDrawnOn() {
    open("demo/examples/one-slope.arvesk");
    QVERIFY(stubPlace("slope").x() > 0);
    drag(stubPlace("slope"),
         stubPlace("slope") + QPoint(200, 160));  // to empty paper: the find field opens with what fits
    auto* line = w().findChild<QLineEdit*>(QStringLiteral("find_line"));
    QTRY_VERIFY(line->isVisible());
    QTest::keyClicks(line, QStringLiteral("output"));
    QTest::keyClick(line, Qt::Key_Return);
    const Node* added = document().find(plan().selection().first().toStdString());
    QCOMPARE(added->kind, std::string("output"));
    QCOMPARE(added->inputs.at("points").front().node, std::string("slope"));
    QCOMPARE(added->inputs.at("points").front().output, std::string("left_out"));
    waitForResults();
    QCOMPARE(w().service().latest()->evaluation.reports.at(added->uid).passed.front(),
             report("Level places").passed[1]);
    QCOMPARE(stubPlace("slope"), QPoint(-1, -1));  // something takes it now
  }

  void bedsAndNotes() {
    open("demo/examples/one-slope.arvesk");
    plan().select({QStringLiteral("sow"), QStringLiteral("slope")});
    QTest::keyClick(&plan(), Qt::Key_B);
    auto* edit = w().findChild<QPlainTextEdit*>(QStringLiteral("paper_edit"));
    QVERIFY(edit->isVisible());
    QTest::keyClicks(edit, QStringLiteral("Stones on the hill"));
    QTest::keyClick(edit, Qt::Key_Return);
    QVERIFY(!edit->isVisible());
    QCOMPARE(document().paper.size(), std::size_t{1});
    const std::string bed = document().paper[0].uid;
    QCOMPARE(document().paper[0].text, std::string("Stones on the hill"));
    for (const char* uid : {"sow", "slope"})
      QVERIFY(plan().layoutNow().paperItem(bed)->rect.contains(plan().layoutNow().card(uid)->rect));
    // Dragged by its title, it takes its cards along; the others stay. One undo step.
    const double sowX = document().find("sow")->x;
    const double outX = document().find("out")->x;
    const QPoint title = plan().paperPlace(QString::fromStdString(bed));
    drag(title, title + QPoint(40, 12));
    QCOMPARE(document().find("sow")->x, sowX + 40);
    QCOMPARE(document().find("out")->x, outX);
    w().model().undoStack().undo();
    QCOMPARE(document().find("sow")->x, sowX);
    // Its corner sizes it.
    QTest::mouseClick(paper(), Qt::LeftButton, {}, title);
    const double width = document().findPaper(bed)->width;
    const QRectF rect = plan().layoutNow().paperItem(bed)->rect;
    const QPoint corner = title +
                          QPoint(static_cast<int>(rect.width() / 2) - 6, static_cast<int>(rect.height()) - 12 - 6);
    drag(corner, corner + QPoint(50, 20));
    QVERIFY(test::within(document().findPaper(bed)->width, width + 50, 1));
    // A note is written, kept in the file, and deleted.
    plan().select({});
    plan().setFocus();
    QTest::keyClick(&plan(), Qt::Key_N);
    QTest::keyClicks(edit, QStringLiteral("Ask for more"));
    QTest::keyClick(edit, Qt::Key_Return, Qt::ControlModifier);
    QCOMPARE(document().paper.size(), std::size_t{2});
    const auto back = parsePlan(formatPlan(document()), "here");
    QVERIFY(back && back->paper == document().paper);
    QTest::mouseClick(paper(), Qt::LeftButton, {}, plan().paperPlace(QString::fromStdString(document().paper[1].uid)));
    QTest::keyClick(&plan(), Qt::Key_Delete);
    QCOMPARE(document().paper.size(), std::size_t{1});
  }

  void aChainFoldsToOneLine() {
    open("demo/tern-cove/tern-cove.arvesk");
    const std::size_t cards = plan().layoutNow().cards.size();
    const auto before = document().nodes;
    plan().select({QStringLiteral("kale-room")});
    QTest::keyClick(&plan(), Qt::Key_U);
    const PlanCard* line = plan().layoutNow().card("marram");
    QVERIFY(line && line->folded.size() >= 5);
    QCOMPARE(plan().layoutNow().cards.size(), cards - line->folded.size() + 1);
    QVERIFY2(line->sentence.startsWith(QStringLiteral("%1 nodes").arg(line->folded.size())) &&
                 line->sentence.contains(QStringLiteral("→")),
             qPrintable(line->sentence));
    QVERIFY(plan().ribbonPlace(QStringLiteral("marram-dress"), QStringLiteral("plants")).x() >
            0);  // it goes on from the line
    QTest::mouseDClick(paper(), Qt::LeftButton, {}, plan().centerOf(QStringLiteral("marram")));
    QCOMPARE(plan().layoutNow().cards.size(), cards);
    QVERIFY(document().nodes == before);
  }

  void findGoesFromOneToTheNext() {
    open("demo/tern-cove/tern-cove.arvesk");
    trigger("plan_find");
    auto* line = w().findChild<QLineEdit*>(QStringLiteral("plan_search"));
    QTRY_VERIFY(line->isVisible());
    QTest::keyClicks(line, QStringLiteral("clearance"));
    auto* count = w().findChild<QLabel*>(QStringLiteral("plan_search_count"));
    QVERIFY2(count->text().startsWith(QStringLiteral("1 of ")), qPrintable(count->text()));
    const QString first = plan().selection().first();
    QVERIFY(paper()->rect().contains(plan().centerOf(first)));
    QTest::keyClick(line, Qt::Key_Return);
    const QString second = plan().selection().first();
    QVERIFY(first != second);
    QCOMPARE(document().find(second.toStdString())->kind, std::string("clearance"));
    QVERIFY(paper()->rect().contains(plan().centerOf(second)));
    QTest::keyClick(line, Qt::Key_Escape);
    QVERIFY(!line->isVisible());
  }

  void chipsOfMasksLightTheirCard() {
    open("demo/tern-cove/tern-cove.arvesk");
    const auto& chips = plan().layoutNow().chips;
    const auto chip = std::find_if(chips.begin(), chips.end(),
                                   [](const PlanChip& c) { return c.owner == "near-rocks"; });
    QVERIFY(chip != chips.end());
    QCOMPARE(chip->uid, std::string("rock-clear"));
    // No two tags or chips of one card lie on each other.
    for (const PlanTag& a : plan().layoutNow().tags)
      for (const PlanChip& c : plan().layoutNow().chips)
        QVERIFY2(!a.rect.adjusted(1, 1, -1, -1).intersects(c.rect), qPrintable(a.title + c.title));
  }

  void tidyLeavesNoCardOnAnother() {
    open("demo/tern-cove/tern-cove.arvesk");
    std::map<std::string, std::pair<double, double>> heap;
    for (const Node& n : document().nodes) heap[n.uid] = {100 + n.x * 0.02, 100 + n.y * 0.1};
    w().model().movePlaces(heap);
    plan().select({});
    QTest::keyClick(&plan(), Qt::Key_T);
    const auto& cards = plan().layoutNow().cards;
    for (std::size_t i = 0; i < cards.size(); ++i)
      for (std::size_t k = i + 1; k < cards.size(); ++k)
        QVERIFY2(!cards[i].rect.intersects(cards[k].rect),
                 qPrintable(cards[i].title + QStringLiteral(" / ") + cards[k].title));
    for (const PlanRibbon& r : plan().layoutNow().ribbons)
      if (!r.isHairline) QVERIFY(r.path.pointAtPercent(0).y() < r.path.pointAtPercent(1).y());  // points run downwards
  }

  // 300 nodes: laying out and painting are counted, not timed: what is asserted is that a frame is far from a second.
  void threeHundredNodesStaySmooth() {
    Plan many;
    for (int chain = 0; chain < 25; ++chain)
      for (int i = 0; i < 12; ++i) {
        Node n;
        n.uid = "n" + std::to_string(chain) + "-" + std::to_string(i);
        n.kind = i == 0 ? "pattern" : i == 11 ? "output" : i % 2 ? "vary" : "orient";
        n.title = n.uid;
        n.x = 440.0 * chain;
        n.y = 100.0 * i;
        if (i > 0) n.inputs["points"] = {{"n" + std::to_string(chain) + "-" + std::to_string(i - 1), "points", "s"}};
        many.nodes.push_back(n);
      }
    w().model().reset(std::move(many));
    waitForResults();
    plan().fitAll();
    QElapsedTimer timer;
    timer.start();
    for (int i = 0; i < 20; ++i) plan().grab();
    QVERIFY2(timer.elapsed() / 20 < 200, qPrintable(QString::number(timer.elapsed() / 20)));
    QCOMPARE(plan().layoutNow().cards.size(), std::size_t{300});
  }

  void numbersFollowADial() {
    open("demo/examples/where-and-why.arvesk");
    const std::size_t before = report("Kale").passed.front();
    auto* field = w().bench().findChild<QLineEdit*>(QStringLiteral("dial.0.draft"));
    QVERIFY(field);
    QVERIFY(field->isVisible());
    type(field, QStringLiteral("1.2"));
    QCOMPARE(document().dials.front().draft, 1.2);
    waitForResults();
    QVERIFY(report("Kale").passed.front() < before / 2);
    plan().select({QStringLiteral("sow")});
    auto* spacing = w().bench().findChild<QLineEdit*>(QStringLiteral("spacing"));
    QVERIFY(spacing && spacing->text().contains(QStringLiteral("apart")));
    type(spacing, QStringLiteral("apart / 2"));
    QCOMPARE(document().find("sow")->follows.at("spacing"), std::string("apart / 2"));
    waitForResults();
    QVERIFY(report("Kale").passed.front() > before / 2);
    type(spacing, QStringLiteral("0.9"));
    QVERIFY(!document().find("sow")->follows.contains("spacing"));
  }

  void formulasAreCheckedWhileTyped() {
    open("demo/examples/where-and-why.arvesk");
    plan().select({QStringLiteral("formula")});
    auto* line = w().bench().findChild<QLineEdit*>(QStringLiteral("text"));
    auto* fault = w().bench().findChild<QLabel*>(QStringLiteral("text.fault"));
    QVERIFY(line && fault && !fault->isVisible());
    line->setFocus();
    line->selectAll();
    QTest::keyClicks(line, QStringLiteral("0.3 * a +"));
    QVERIFY(fault->isVisible());
    QVERIFY2(fault->text().contains(QRegularExpression(QStringLiteral("\\d"))),
             qPrintable(fault->text()));  // its position
    QTest::keyClicks(line, QStringLiteral(" b"));
    QVERIFY(!fault->isVisible());
  }
};

QTEST_MAIN(TestPlanGestures)
#include "tst_plan_gestures.moc"
