// The Plan's gestures beyond connecting: box select, cards let go on ribbons, links to empty paper, stubs, beds, notes,
// chains, find, tidy, dials.
#include "app/bench/number_field.h"
#include "core/formats/plan_file.h"
#include "tests/app/pulse.h"
#include "tests/app/window_test.h"

#include <QLabel>
#include <QPlainTextEdit>
#include <QToolButton>
#include <QUndoView>

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

  /// The whole plan fills the pane; from far away beds are blocks that tell what they keep, and a click goes in.
  void fromFarAwayBedsAreBlocks() {
    open("demo/tern-cove/tern-cove.arvesk");
    waitForResults();
    plan().select({});
    QTest::keyClick(&plan(), Qt::Key_T);
    waitForResults();
    QVERIFY(plan().isOverview());
    const QRectF all = plan().layoutNow().bounds;
    QVERIFY2(plan().inSight().adjusted(-8, -8, 8, 8).contains(all), "all of it is in sight");
    std::size_t beds = 0;
    for (const PlanBlock& b : plan().overviewNow().blocks) {
      if (!b.isBed) continue;
      ++beds;
      QVERIFY2(!b.yield.isEmpty(), qPrintable(b.title));
      const PlanPicture& picture = w().masks().latest()->at(b.uid);
      QVERIFY2(!picture.picture.isNull(), qPrintable(b.title));
      for (const PlanBlock& other : plan().overviewNow().blocks)
        QVERIFY(&other == &b || !other.rect.intersects(b.rect));
    }
    const auto isBed = [](const PaperItem& item) { return item.sort == PaperItem::Sort::Bed; };
    QCOMPARE(beds, static_cast<std::size_t>(std::count_if(document().paper.begin(), document().paper.end(), isBed)));
    QVERIFY(beds > 10);
    // What a block tells is what its cards tell.
    const auto dunes = std::find_if(plan().overviewNow().blocks.begin(), plan().overviewNow().blocks.end(),
                                    [](const PlanBlock& b) { return b.title == QStringLiteral("Dunes"); });
    std::size_t left = 0;
    for (const char* end : {"Marram props", "Kale props"}) left += report(end).passed.front();
    QVERIFY2(dunes->yield.contains(QLocale().toString(static_cast<qulonglong>(left))), qPrintable(dunes->yield));

    const PlanBlock rocks = *std::find_if(plan().overviewNow().blocks.begin(), plan().overviewNow().blocks.end(),
                                          [](const PlanBlock& b) { return b.title == QStringLiteral("Rocks"); });
    QTest::mouseClick(paper(), Qt::LeftButton, {}, plan().blockPlace(QString::fromStdString(rocks.uid)));
    QVERIFY(!plan().isOverview());
    QVERIFY(plan().inSight().contains(rocks.rect.topLeft() + QPointF(4, 4)));
    // With tags and chips a column fits the pane.
    QVERIFY(plan().inSight().left() <= rocks.rect.left() && plan().inSight().right() >= rocks.rect.right());

    // The small map shows where one is, and takes one elsewhere.
    paper()->grab();
    const QRect map = plan().mapRect();
    QVERIFY(paper()->rect().contains(map) && !map.isEmpty());
    test::dragMouse(paper(), map.center(), map.topLeft() + QPoint(6, 6));
    QVERIFY(plan().inSight().left() < all.left() + all.width() * 0.2 &&
            plan().inSight().top() < all.top() + all.height() * 0.2);
    test::dragMouse(paper(), map.topLeft() + QPoint(6, 6), map.bottomRight() - QPoint(3, 3));
    QVERIFY(plan().inSight().right() > all.right() - all.width() * 0.2);
    QTest::keyClick(&plan(), Qt::Key_Home);
    paper()->grab();
    QVERIFY(plan().mapRect().isEmpty());
  }

  /// Whatever is added or pasted lies on nothing, and is in sight.
  void whatIsAddedLandsInFreeRoom() {
    open("demo/tern-cove/tern-cove.arvesk");
    const auto liesFree = [&](const QStringList& uids) {
      for (const QString& uid : uids) {
        const PlanCard* card = plan().layoutNow().card(uid.toStdString());
        if (!card) continue;  // docked
        for (const PlanCard& other : plan().layoutNow().cards)
          QVERIFY2(&other == card || !other.rect.intersects(card->rect), qPrintable(other.title));
      }
      QVERIFY(paper()->rect().contains(plan().centerOf(uids.first())));
    };
    for (int round = 0; round < 3; ++round) {
      plan().select({});
      addByKeys(QStringLiteral("Grid"));
      QCOMPARE(plan().selection().size(), 1);
      liesFree(plan().selection());
    }
    plan().select({quid("Boulders"), quid("Boulder props")});
    plan().copySelected();
    plan().pasteClipboard();
    liesFree(plan().selection());
    plan().duplicateSelected();
    liesFree(plan().selection());
  }

  /// What cannot be connected is refused in words at once, and nothing changes.
  void wrongLinksAreRefusedInWords() {
    open("demo/examples/one-slope.arvesk");
    const QString vary = w().model().addNode(*findNodeKind("vary"), 420, 230);
    waitForResults();
    const PlanPtr before = w().model().snapshot();
    const auto refusal = [&](const QPoint& from, const QPoint& to) {
      auto* message = w().findChild<QLabel*>(QStringLiteral("message"));
      message->clear();
      drag(from, to);
      return message->text();
    };
    plan().select({QStringLiteral("ground")});
    const QString noSlot = refusal(plan().slotPlace(QStringLiteral("ground"), "surface"), plan().centerOf(vary));
    QVERIFY2(noSlot.startsWith(QStringLiteral("! not connected: ")) && noSlot.contains(QStringLiteral("Vary")),
             qPrintable(noSlot));
    plan().select({QStringLiteral("dress")});
    const QString loop = refusal(plan().slotPlace(QStringLiteral("dress"), "out:points"),
                                 plan().slotPlace(QStringLiteral("slope"), "points"));
    QVERIFY2(loop.contains(QStringLiteral("loop")), qPrintable(loop));
    QCOMPARE(w().model().snapshot(), before);
  }

  /// Share out shows as many outputs, and asks for as many weights, as it has shares.
  void shareOutShowsItsShares() {
    open("demo/examples/one-slope.arvesk");
    const QString uid = w().model().addAfter(*findNodeKind("share-out"), QStringLiteral("sow"));
    plan().select({uid});
    for (const double count : {5.0, 2.0, 8.0}) {
      w().model().setParam(uid, "count", count);
      waitForResults();
      std::size_t outputs = 0;
      for (const PlanSlot& s : plan().layoutNow().openings) outputs += s.isOutput && s.uid == uid.toStdString() ? 1 : 0;
      QCOMPARE(outputs, static_cast<std::size_t>(count));
      int weights = 0;
      for (int i = 1; i <= 8; ++i)
        weights += w().bench().findChild<NumberField*>(QStringLiteral("weight_%1").arg(i))->isVisible() ? 1 : 0;
      QCOMPARE(weights, static_cast<int>(count));
    }
  }

  /// Several cards of one kind: an edit on the Bench goes to all, of a range only the end that was changed; one undo.
  void editsGoToAllThatAreSelected() {
    open("demo/tern-cove/tern-cove.arvesk");
    const QStringList some{quid("Tall and short"), quid("Kale sizes"), quid("Mussel sizes")};
    const auto size = [&](int i) {
      const Node& n = *document().find(some[i].toStdString());
      return std::get<std::vector<double>>(n.value(*kindOf(n)->findParam("size")));
    };
    std::vector<std::vector<double>> before;
    for (int i = 0; i < 3; ++i) before.push_back(size(i));
    QVERIFY(before[0] != before[1] && before[1] != before[2]);
    QTest::mouseClick(paper(), Qt::LeftButton, {}, plan().centerOf(some[0]));
    plan().select(some);
    auto* heading = w().findChild<QLabel*>(QStringLiteral("bench_heading"));
    QVERIFY2(heading->text().startsWith(QStringLiteral("3 × ")), qPrintable(heading->text()));
    auto* to = w().bench().findChild<NumberField*>(QStringLiteral("size.1"));
    type(to, QStringLiteral("1.75"));
    for (int i = 0; i < 3; ++i) {
      QCOMPARE(size(i)[1], 1.75);
      QCOMPARE(size(i)[0], before[static_cast<std::size_t>(i)][0]);
    }
    w().model().undo();
    for (int i = 0; i < 3; ++i) QCOMPARE(size(i), before[static_cast<std::size_t>(i)]);
    // Cards of different kinds have nothing in common to be edited.
    plan().select({some[0], quid("Sit and lean")});
    QVERIFY(!w().bench().findChild<NumberField*>(QStringLiteral("size.1")));
    // Every step has its name in the history, and a click on one goes there.
    w().model().redo();
    trigger("edit_history");
    auto* history = w().findChild<QUndoView*>(QStringLiteral("history"));
    QVERIFY(history->model()->index(1, 0).data().toString().contains(QStringLiteral("3 nodes")));
    history->setCurrentIndex(history->model()->index(0, 0));
    for (int i = 0; i < 3; ++i) QCOMPARE(size(i), before[static_cast<std::size_t>(i)]);
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
    const double work = test::leastWorkOf([&] { plan().grab(); });
    QVERIFY2(work < 200, qPrintable(QString::number(work)));
    QCOMPARE(plan().layoutNow().cards.size(), std::size_t{300});
  }

  void numbersFollowADial() {
    open("demo/examples/where-and-why.arvesk");
    const std::size_t before = report("Kale").passed.front();
    QVERIFY2(!w().bench().findChild<QLineEdit*>(QStringLiteral("dial.0.final")), "one value until it is split");
    const double final = document().dials.front().final;
    // The button goes with its form, but not before its click is over.
    const QPointer<QToolButton> clicked = w().bench().findChild<QToolButton*>(QStringLiteral("dial.0.split"));
    QTest::mouseClick(clicked, Qt::LeftButton);
    QVERIFY(clicked);
    QTRY_VERIFY(!clicked);
    QTRY_VERIFY(w().bench().findChild<QLineEdit*>(QStringLiteral("dial.0.final")));
    auto* field = w().bench().findChild<QLineEdit*>(QStringLiteral("dial.0.draft"));
    QVERIFY(field);
    QVERIFY(field->isVisible());
    type(field, QStringLiteral("1.2"));
    QCOMPARE(document().dials.front().draft, 1.2);
    QCOMPARE(document().dials.front().final, final);
    waitForResults();
    QVERIFY(report("Kale").passed.front() < before / 2);
    // The card shows what the dial gives, not what it would be without it.
    QVERIFY2(plan().layoutNow().card("sow")->sentence.contains(QStringLiteral("1.2 m")),
             qPrintable(plan().layoutNow().card("sow")->sentence));
    plan().select({QStringLiteral("sow")});
    auto* spacing = w().bench().findChild<QLineEdit*>(QStringLiteral("spacing"));
    QVERIFY(spacing && spacing->text().contains(QStringLiteral("apart")));
    type(spacing, QStringLiteral("apart / 2"));
    QCOMPARE(document().find("sow")->follows.at("spacing"), std::string("apart / 2"));
    waitForResults();
    QVERIFY(report("Kale").passed.front() > before / 2);
    type(spacing, QStringLiteral("0.9"));
    QVERIFY(!document().find("sow")->follows.contains("spacing"));
    // One value for draft and final again.
    plan().select({});
    auto* split = w().bench().findChild<QToolButton*>(QStringLiteral("dial.0.split"));
    QVERIFY(split && w().bench().findChild<QLineEdit*>(QStringLiteral("dial.0.final")));
    QTest::mouseClick(split, Qt::LeftButton);
    QCOMPARE(document().dials.front().draft, document().dials.front().final);
    QTRY_VERIFY(!w().bench().findChild<QLineEdit*>(QStringLiteral("dial.0.final")));
    type(w().bench().findChild<QLineEdit*>(QStringLiteral("dial.0.draft")), QStringLiteral("0.8"));
    QCOMPARE(document().dials.front().draft, 0.8);
    QCOMPARE(document().dials.front().final, 0.8);
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
