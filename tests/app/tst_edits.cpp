// Hands that do anything: hundreds of random keys, clicks and drags on the Plan. Whatever they do, the plan stays
// whole, is saved and read back the same, and undo leads back to the first plan and redo forward to the last, step by
// step.
#include "core/formats/plan_file.h"
#include "tests/app/window_test.h"

#include <random>

using namespace arvesk;

class TestEdits : public test::WindowTest {
  Q_OBJECT

  std::mt19937 m_random;

  std::size_t draw(std::size_t below) { return below == 0 ? 0 : m_random() % below; }
  QPoint somewhere() {
    const auto& cards = plan().layoutNow().cards;
    if (cards.empty() || draw(6) == 0)
      return {static_cast<int>(draw(static_cast<std::size_t>(paper()->width()))),
              static_cast<int>(draw(static_cast<std::size_t>(paper()->height())))};
    return plan().centerOf(QString::fromStdString(cards[draw(cards.size())].uid));
  }
  /// From a foot of a card, where links begin.
  QPoint foot() {
    const auto& cards = plan().layoutNow().cards;
    if (cards.empty()) return {};
    const PlanCard& card = cards[draw(cards.size())];
    const NodeKind* kind = kindOf(*document().find(card.uid));
    if (!kind || kind->outputs.empty()) return somewhere();
    return plan().slotPlace(QString::fromStdString(card.uid), kind->outputs[draw(kind->outputs.size())].id);
  }
  void closeFields() {
    if (auto* picks = w().findChild<QWidget*>(QStringLiteral("pick_line")); picks && picks->isVisible() && draw(2) == 0)
      QTest::keyClick(picks, Qt::Key_Return);
    for (const char* name : {"find_line", "pick_line", "paper_edit", "rename_line", "plan_search"})
      if (auto* field = w().findChild<QWidget*>(QLatin1String(name)); field && field->isVisible())
        QTest::keyClick(field, Qt::Key_Escape);
    plan().setFocus();
  }
  void act() {
    struct Press {
      int key;
      Qt::KeyboardModifiers with;
    };
    static const std::vector<Press> keys{{Qt::Key_K, {}},
                                         {Qt::Key_L, {}},
                                         {Qt::Key_Delete, {}},
                                         {Qt::Key_U, {}},
                                         {Qt::Key_T, {}},
                                         {Qt::Key_I, {}},
                                         {Qt::Key_D, Qt::ControlModifier},
                                         {Qt::Key_C, Qt::ControlModifier},
                                         {Qt::Key_V, Qt::ControlModifier},
                                         {Qt::Key_V, Qt::ControlModifier},
                                         {Qt::Key_Z, Qt::ControlModifier},
                                         {Qt::Key_Y, Qt::ControlModifier},
                                         {Qt::Key_Up, {}},
                                         {Qt::Key_Down, {}},
                                         {Qt::Key_Left, {}},
                                         {Qt::Key_Right, {}},
                                         {Qt::Key_Up, Qt::AltModifier},
                                         {Qt::Key_Down, Qt::AltModifier},
                                         {Qt::Key_C, {}},
                                         {Qt::Key_Home, {}},
                                         {Qt::Key_R, Qt::ControlModifier}};
    switch (draw(8)) {
      case 0:
      case 1:
        QTest::mouseClick(paper(), Qt::LeftButton, draw(4) == 0 ? Qt::ControlModifier : Qt::NoModifier, somewhere());
        break;
      case 2: drag(somewhere(), somewhere()); break;
      case 3:
      case 4: drag(foot(), somewhere()); break;
      default: {
        const Press& p = keys[draw(keys.size())];
        QTest::keyClick(&plan(), static_cast<Qt::Key>(p.key), p.with);
      }
    }
    closeFields();
  }
  void planIsWhole(const QByteArray& after) {
    std::set<std::string> uids;
    for (const Node& n : document().nodes) QVERIFY2(uids.insert(n.uid).second, after.constData());
    for (const Node& n : document().nodes) {
      const NodeKind* kind = kindOf(n);
      QVERIFY(kind);
      for (const auto& [input, links] : n.inputs) {
        const InputSpec* spec = kind->findInput(input);
        QVERIFY2(spec, after.constData());
        QVERIFY2(spec->isMany || links.size() <= 1, after.constData());
        QVERIFY2(!links.empty() && !links.back().isEmpty(), after.constData());
        for (const Link& link : links) {
          if (link.isEmpty()) continue;  // a place that lost its link
          QVERIFY2(document().find(link.node), after.constData());
          QVERIFY2(kindOf(*document().find(link.node))->outputIndex(link.output) >= 0, after.constData());
        }
      }
    }
    for (const Problem& p : checkPlan(document()))
      QVERIFY2(p.code != ProblemCode::Loop && p.code != ProblemCode::WrongInput, toLine(p).c_str());
    for (const QString& uid : plan().selection()) QVERIFY2(document().find(uid.toStdString()), after.constData());
    const auto back = parsePlan(formatPlan(document()), "here");
    QVERIFY(back);
    QVERIFY2(*back == document(), after.constData());
  }

 private Q_SLOTS:
  void initTestCase() { startTests(); }
  void init() { openWindow(); }
  void cleanup() { m_window.reset(); }

  void anythingCanBeDoneAndUndone_data() {
    QTest::addColumn<QString>("file");
    QTest::addColumn<unsigned>("seed");
    for (const unsigned seed : {1U, 2U, 3U}) {
      QTest::addRow("one slope, hands %u", seed) << "demo/examples/one-slope.arvesk" << seed;
      QTest::addRow("patches, hands %u", seed) << "demo/examples/patches.arvesk" << seed;
    }
  }
  void anythingCanBeDoneAndUndone() {
    QFETCH(QString, file);
    QFETCH(unsigned, seed);
    m_random.seed(seed);
    QVERIFY(w().openFile(test::sourcePath(qPrintable(file))));
    const Plan first = document();
    plan().setFocus();
    std::size_t changes = 0;
    for (int step = 0; step < 150; ++step) {
      const Plan before = document();
      act();
      if (!(document() == before)) ++changes;
      planIsWhole(QByteArray("after step ") + QByteArray::number(step));
      if (QTest::currentTestFailed()) return;
    }
    QVERIFY2(changes > 25, "the hands did something");
    // All the way back, then all the way forward: each plan on the way is the one that was there.
    QUndoStack& stack = w().model().undoStack();
    const Plan last = document();
    const int steps = stack.index();
    std::vector<Plan> path;
    while (stack.canUndo()) {
      path.push_back(document());
      QTest::keyClick(&w(), Qt::Key_Z, Qt::ControlModifier);
      planIsWhole("while undoing");
      if (QTest::currentTestFailed()) return;
    }
    QVERIFY(document() == first);
    QCOMPARE(static_cast<int>(path.size()), steps);
    while (!path.empty()) {
      QTest::keyClick(&w(), Qt::Key_Y, Qt::ControlModifier);
      QVERIFY(document() == path.back());
      path.pop_back();
    }
    QVERIFY(document() == last);
  }
};

QTEST_MAIN(TestEdits)
#include "tst_edits.moc"
