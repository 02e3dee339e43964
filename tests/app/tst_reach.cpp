// Reach: the Plan, the Bench and the Ledger without a mouse and without eyes. Keys lead everywhere, and a screen reader
// finds cards, tags, slots, ribbons and cells with name, role and state.
#include "app/plan/plan_layout.h"
#include "core/formats/plan_file.h"
#include "tests/app/window_test.h"

#include <QAccessible>
#include <QHeaderView>
#include <QListWidget>
#include <QMenu>
#include <QScrollArea>
#include <QTableView>

#include <functional>

using namespace arvesk;

class TestReach : public test::WindowTest {
  Q_OBJECT

  QAccessibleInterface* planAccess() { return QAccessible::queryAccessibleInterface(&plan()); }
  static QString nameOf(QAccessibleInterface* at) { return at->text(QAccessible::Name); }
  QAccessibleInterface* childNamed(QAccessibleInterface* in, const QString& name) {
    for (int i = 0; i < in->childCount(); ++i)
      if (QAccessibleInterface* c = in->child(i); c && nameOf(c) == name) return c;
    return nullptr;
  }
  QString selectedTitle() {
    const QStringList all = plan().selection();
    const Node* n = all.size() == 1 ? document().find(all.first().toStdString()) : nullptr;
    return n ? QString::fromStdString(n->title) : QString();
  }
  void key(Qt::Key k, Qt::KeyboardModifiers with = {}) { QTest::keyClick(&plan(), k, with); }
  QListWidget* picks() { return plan().findChild<QListWidget*>(QStringLiteral("picks")); }
  QLineEdit* pickLine() { return plan().findChild<QLineEdit*>(QStringLiteral("pick_line")); }

 private Q_SLOTS:
  void initTestCase() {
    startTests();
    QAccessible::setActive(true);
  }
  void init() {
    openWindow();
    w().activateWindow();
    QVERIFY(QTest::qWaitForWindowActive(&w()));
  }
  void cleanup() {
    w().model().undoStack().setClean();
    m_window.reset();
  }

  /// All that the Plan shows is in the tree once, in its place, with name, role and state.
  void thePlanIsReadAloud() {
    for (const char* file : {"demo/tern-cove/tern-cove.arvesk", "demo/examples/one-slope.arvesk"}) {
      QVERIFY(w().openFile(test::sourcePath(file)));
      waitForResults();
      const PlanLayout& layout = plan().layoutNow();
      std::map<QAccessible::Role, std::size_t> found;
      std::set<QAccessibleInterface*> once;
      QAccessibleInterface* top = planAccess();
      QCOMPARE(top->role(), QAccessible::Tree);
      const std::function<void(QAccessibleInterface*)> walk = [&](QAccessibleInterface* at) {
        for (int i = 0; i < at->childCount(); ++i) {
          QAccessibleInterface* c = at->child(i);
          QVERIFY(c && c->isValid());
          if (c->object()) continue;  // widgets, whose names tst_keys looks at
          QVERIFY2(once.insert(c).second, qPrintable(nameOf(c)));
          QVERIFY(!nameOf(c).isEmpty());
          QCOMPARE(c->parent(), at);
          QCOMPARE(at->indexOfChild(c), i);
          ++found[c->role()];
          walk(c);
        }
      };
      walk(top);
      QCOMPARE(found[QAccessible::TreeItem], layout.cards.size() + layout.tags.size());
      QCOMPARE(found[QAccessible::Note], layout.paper.size());
      QCOMPARE(found[QAccessible::Button], layout.openings.size());
      QCOMPARE(found[QAccessible::Link], layout.ribbons.size());
    }
    QAccessibleInterface* card = childNamed(planAccess(), QStringLiteral("Not on steep ground"));
    if (!card) card = planAccess()->child(planAccess()->childCount() - 1);
    QVERIFY(!card->text(QAccessible::Description).isEmpty());
    // Where it is, and what is selected there.
    const PlanCard first = plan().layoutNow().cards.front();
    const QPoint at = paper()->mapToGlobal(plan().centerOf(QString::fromStdString(first.uid)));
    QCOMPARE(nameOf(planAccess()->childAt(at.x(), at.y())), first.title);
    plan().setFocus();
    plan().goTo({QString::fromStdString(first.uid)});
    QAccessibleInterface* focus = planAccess()->focusChild();
    QVERIFY(focus && nameOf(focus) == first.title && focus->state().focused && focus->state().selected);
    // What is offered to be done can be done there, and nothing else is.
    for (int i = 0; i < planAccess()->childCount(); ++i)
      if (QAccessibleInterface* c = planAccess()->child(i); !c->object())
        QCOMPARE(c->actionInterface()->actionNames().contains(QAccessibleActionInterface::pressAction()),
                 c->role() == QAccessible::TreeItem);
    // Gone from the plan, gone from the tree.
    plan().removeSelected();
    QVERIFY(!focus->isValid());
    QVERIFY(!childNamed(planAccess(), first.title));
  }

  /// In what is shipped nothing of the Plan lies on anything else.
  void nothingOfShippedPlansIsCovered() {
    QStringList files{test::sourcePath("demo/tern-cove/tern-cove.arvesk")};
    for (const QFileInfo& info : QDir(test::sourcePath("demo/examples")).entryInfoList({QStringLiteral("*.arvesk")}))
      files << info.filePath();
    QVERIFY(files.size() > 8);
    QStringList faults;
    for (const QString& file : files) {
      const auto read = loadPlan(file.toStdString());
      QVERIFY2(read, qPrintable(file));
      const PlanLayout layout = layoutPlan(*read, nullptr, {}, {});
      std::vector<std::pair<QString, QRectF>> things;
      for (const PlanCard& c : layout.cards) things.push_back({c.title, c.rect});
      for (const PlanTag& t : layout.tags) things.push_back({t.title, t.rect});
      for (const PlanChip& c : layout.chips) things.push_back({c.word + c.title, c.rect});
      for (const PlanPaper& p : layout.paper)
        if (p.sort == PaperItem::Sort::Note) things.push_back({p.text, p.rect});
      QStringList covered;
      for (std::size_t i = 0; i < things.size(); ++i)
        for (std::size_t k = 0; k < i; ++k)
          if (things[i].second.adjusted(1, 1, -1, -1).intersects(things[k].second))
            covered << QStringLiteral("%1 on %2").arg(things[i].first, things[k].first);
      for (const PlanPaper& p : layout.paper)  // a bed holds the whole of a card or nothing of it
        if (p.sort == PaperItem::Sort::Bed)
          for (const PlanCard& c : layout.cards)
            if (!p.rect.contains(c.rect) && p.rect.intersects(c.rect))
              covered << QStringLiteral("%1 on the rim of %2").arg(c.title, p.text);
      if (!covered.empty())
        faults << QFileInfo(file).fileName() + QStringLiteral(": ") + covered.join(QStringLiteral(", "));
    }
    QVERIFY2(faults.empty(), qPrintable(faults.join(QLatin1Char('\n'))));
  }

  void readersCanPress() {
    QVERIFY(w().openFile(test::sourcePath("demo/tern-cove/tern-cove.arvesk")));
    waitForResults();
    QAccessibleInterface* marram = childNamed(planAccess(), QStringLiteral("Marram"));
    QVERIFY(marram);
    marram->actionInterface()->doAction(QAccessibleActionInterface::pressAction());
    QCOMPARE(selectedTitle(), QStringLiteral("Marram"));
    QAccessibleInterface* mask = childNamed(marram, QStringLiteral("Mask Dry × Drift"));
    QVERIFY(mask && mask->state().expandable);
    mask->actionInterface()->doAction(QAccessibleActionInterface::pressAction());
    QCOMPARE(selectedTitle(), QStringLiteral("Dry × Drift"));
  }

  /// From a card to its tags and back, along its tags, and to the cards beside; along ribbons either way.
  void arrowsReachEverything() {
    QVERIFY(w().openFile(test::sourcePath("demo/tern-cove/tern-cove.arvesk")));
    waitForResults();
    clickCard("Marram");
    plan().setFocus();
    key(Qt::Key_Left);
    QCOMPARE(selectedTitle(), QStringLiteral("Dry × Drift"));
    std::set<QString> tags{selectedTitle()};
    for (int i = 0; i < 3; ++i) {
      key(Qt::Key_Down);
      tags.insert(selectedTitle());
    }
    QCOMPARE(tags, std::set<QString>({QStringLiteral("Dry × Drift"), QStringLiteral("Dunes"), QStringLiteral("Dry"),
                                      QStringLiteral("Drift")}));
    key(Qt::Key_Right);
    QCOMPARE(selectedTitle(), QStringLiteral("Marram"));
    key(Qt::Key_Right);
    QCOMPARE(selectedTitle(), QStringLiteral("Sea kale"));
    key(Qt::Key_Left);
    QCOMPARE(selectedTitle(), QStringLiteral("Foredune × Patches"));  // its mask stands between
    key(Qt::Key_Left);
    QCOMPARE(selectedTitle(), QStringLiteral("Marram"));
    key(Qt::Key_Down);
    QCOMPARE(selectedTitle(), QStringLiteral("Not on steep sand"));
    key(Qt::Key_Up, Qt::AltModifier);
    QCOMPARE(selectedTitle(), QStringLiteral("Marram"));
    key(Qt::Key_Up, Qt::AltModifier);  // ground and mask: which?
    QVERIFY(picks()->isVisible());
    QCOMPARE(picks()->count(), 2);
    QTest::keyClicks(pickLine(), QStringLiteral("dune ground"));
    QTest::keyClick(pickLine(), Qt::Key_Return);
    QCOMPARE(selectedTitle(), QStringLiteral("Dune ground"));
    key(Qt::Key_Down, Qt::AltModifier);
    QCOMPARE(selectedTitle(), QStringLiteral("Marram"));
    // From any card, arrows alone come to every other one.
    std::set<QString> reached;
    std::vector<QString> open{selectedTitle()};
    while (!open.empty()) {
      const QString title = open.back();
      open.pop_back();
      if (!reached.insert(title).second) continue;
      for (const Qt::Key k : {Qt::Key_Up, Qt::Key_Down, Qt::Key_Left, Qt::Key_Right}) {
        plan().goTo(std::string(uidOf(qPrintable(title))), {});
        key(k);
        open.push_back(selectedTitle());
      }
    }
    std::size_t missed = 0;
    for (const PlanCard& c : plan().layoutNow().cards) missed += reached.contains(c.title) ? 0 : 1;
    QCOMPARE(missed, std::size_t{0});
  }

  /// Connecting and disconnecting, adding and the menu of a card: all by keys.
  void connectedByKeys() {
    addByKeys(QStringLiteral("terrain"));
    plan().select({});
    addByKeys(QStringLiteral("sow"));
    QCOMPARE(document().nodes.size(), std::size_t{2});
    const QString terrain = QString::fromStdString(document().nodes[0].uid);
    const QString sow = QString::fromStdString(document().nodes[1].uid);
    QVERIFY(document().nodes[1].inputs.empty() || document().nodes[1].inputs.begin()->second.empty());
    plan().select({terrain});
    plan().setFocus();
    key(Qt::Key_C);
    QTRY_VERIFY(picks()->isVisible());
    QTest::keyClick(pickLine(), Qt::Key_Return);
    QVERIFY(std::any_of(document().nodes[1].inputs.begin(), document().nodes[1].inputs.end(), [&](const auto& i) {
      return !i.second.empty() && i.second.front().node == terrain.toStdString();
    }));
    // The list offers nothing that would be refused, and nothing twice.
    QVERIFY(!picks()->isVisible());
    plan().select({sow});
    key(Qt::Key_C);
    QVERIFY(!picks()->isVisible());
    // The menu of the selected card, wherever the mouse lies: its links can be cut there.
    QTimer::singleShot(0, this, [&] {
      auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
      QVERIFY(menu);
      QMenu* links = nullptr;
      for (QAction* a : menu->actions())
        if (a->menu()) links = a->menu();
      QVERIFY(links && links->actions().size() == 1);
      links->actions().front()->trigger();
      menu->close();
    });
    QContextMenuEvent asked(QContextMenuEvent::Keyboard, QPoint(3, 3), paper()->mapToGlobal(QPoint(3, 3)));
    QCoreApplication::sendEvent(paper(), &asked);
    for (const auto& [input, links] : document().nodes[1].inputs) QVERIFY(links.empty());
  }

  void tabGoesFromThePlanThroughTheBench() {
    QVERIFY(w().openFile(test::sourcePath("demo/examples/one-slope.arvesk")));
    waitForResults();
    for (const Node& n : document().nodes) {
      plan().select({QString::fromStdString(n.uid)});
      plan().setFocus();
      QCoreApplication::processEvents();  // the new form finds its places
      QTest::keyClick(&plan(), Qt::Key_Tab);
      QWidget* at = QApplication::focusWidget();
      QVERIFY2(at && w().bench().isAncestorOf(at), n.title.c_str());
      QWidget* form = w().bench().findChild<QScrollArea*>()->widget();  // it scrolls as it is gone through
      QPoint last(0, 0);
      std::size_t reached = 0;
      std::set<QWidget*> seen;
      while (form->isAncestorOf(at) && seen.insert(at).second) {
        ++reached;
        // Downward, or on in the next column.
        const QPoint place = at->mapTo(form, at->rect().center());
        QVERIFY2(place.y() >= last.y() - 16 || place.x() > last.x() + 60,
                 qPrintable(QString::fromStdString(n.title) + QLatin1Char(' ') + at->objectName()));
        last = place;
        QTest::keyClick(at, Qt::Key_Tab);
        at = QApplication::focusWidget();
      }
      QVERIFY2(reached > 0, n.title.c_str());
    }
  }

  /// 1.8 million cells made a screen reader wait; what is in sight is what it gets.
  void theLedgerTellsWhatIsInSight() {
    QVERIFY(w().openFile(test::sourcePath("demo/examples/one-slope.arvesk")));
    w().model().setParam(QStringLiteral("sow"), "density", 400.0);
    w().setQuality(Quality::Final);
    waitForResults();
    w().showBottom(MainWindow::Bottom::Ledger);
    auto* table = w().ledger().findChild<QTableView*>(QStringLiteral("ledger_table"));
    QTRY_VERIFY_WITH_TIMEOUT(table->model()->rowCount() > 5000, 60'000);
    QAccessibleInterface* access = QAccessible::queryAccessibleInterface(table);
    QCOMPARE(access->role(), QAccessible::Table);
    QVERIFY2(access->childCount() > 10 && access->childCount() < 3000,
             qPrintable(QString::number(access->childCount())));
    QAccessibleTableInterface* cells = access->tableInterface();
    QCOMPARE(cells->rowCount(), table->model()->rowCount());
    const auto agree = [&] {
      for (int i = 0; i < access->childCount(); ++i) {
        QAccessibleInterface* c = access->child(i);
        QVERIFY(c && c->isValid());
        QCOMPARE(access->indexOfChild(c), i);
        const QRect on = c->rect();
        const QModelIndex there = table->indexAt(table->viewport()->mapFromGlobal(
            on.intersected(QRect(table->viewport()->mapToGlobal(QPoint(0, 0)), table->viewport()->size())).center()));
        QCOMPARE(there.data().toString(), nameOf(c));
        QCOMPARE(c->text(QAccessible::Description),
                 table->model()->headerData(there.column(), Qt::Horizontal).toString());
      }
    };
    agree();
    // Columns that are hidden or dragged: what is left in sight, as it stands.
    table->setColumnHidden(1, true);
    table->horizontalHeader()->moveSection(0, 2);
    const int before = access->childCount();
    agree();
    table->setColumnHidden(1, false);
    QVERIFY(access->childCount() >= before);
    table->scrollToBottom();
    agree();
    QCOMPARE(nameOf(cells->cellAt(4000, 0)), table->model()->index(4000, 0).data().toString());
    table->selectRow(table->model()->rowCount() - 1);
    QCOMPARE(cells->selectedRowCount(), 1);
    QCOMPARE(cells->selectedRows(), QList<int>{table->model()->rowCount() - 1});
  }
};

QTEST_MAIN(TestReach)
#include "tst_reach.moc"
