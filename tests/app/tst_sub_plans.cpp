// Sub-plans by hand: cards become one, one goes in and out, brings controls to the front, uses them again, and takes
// them apart.
#include "app/bench/number_field.h"
#include "app/plan/find_field.h"
#include "app/site/parent_picker.h"
#include "app/window/contact_sheet.h"
#include "app/window/settings.h"
#include "core/deliver/titles.h"
#include "core/formats/plan_file.h"
#include "core/plan/making_sub_plan.h"
#include "tests/app/window_test.h"
#include "tests/support/plans.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QPlainTextEdit>
#include <QPointer>
#include <QPushButton>
#include <QTemporaryDir>
#include <QTextBrowser>
#include <QToolButton>

using namespace arvesk;

class TestSubPlansByHand : public test::WindowTest {
  Q_OBJECT

  void open() {
    QVERIFY(w().openFile(test::sourcePath("demo/examples/one-slope.arvesk")));
    waitForResults();
    plan().setFocus();
  }
  /// What stands at the outputs.
  std::size_t placed() { return w().service().latest()->totals.placements; }
  std::vector<std::uint64_t> idsOf(const std::string& uid) {
    std::vector<std::uint64_t> ids;
    if (const PointsPtr points = w().service().latest()->evaluation.firstOf<PointsPtr>(uid))
      for (std::size_t i = 0; i < points->count; ++i) ids.push_back(points->id[i]);
    return ids;
  }
  /// Makes one of Sow and what thins it, under a name.
  void make(const QString& name) {
    plan().select({QStringLiteral("sow"), QStringLiteral("slope")});
    QTest::keyClick(&plan(), Qt::Key_M);
    auto* line = w().findChild<QLineEdit*>(QStringLiteral("rename_line"));
    QVERIFY(line->isVisible());
    line->selectAll();
    QTest::keyClicks(line, name);
    QTest::keyClick(line, Qt::Key_Return);
    waitForResults();
    plan().setFocus();
  }
  void doubleClick(const QString& uid) {
    QTest::mouseClick(paper(), Qt::LeftButton, {}, plan().centerOf(uid));
    QTest::mouseDClick(paper(), Qt::LeftButton, {}, plan().centerOf(uid));
  }

 private Q_SLOTS:
  void initTestCase() { startTests(); }
  void init() { openWindow(); }
  void cleanup() { m_window.reset(); }

  void cardsBecomeOneAndAreTakenApart() {
    open();
    const Plan before = document();
    const auto ids = idsOf("slope");
    QVERIFY(ids.size() > 20);
    make(QStringLiteral("Level ground only"));
    const QString made = quid("Level ground only");
    QVERIFY(!made.isEmpty());
    QCOMPARE(document().subPlans.front().name, std::string("Level ground only"));
    QCOMPARE(idsOf(made.toStdString()), ids);
    QCOMPARE(report("Level ground only").passed.front(), ids.size());
    QVERIFY(plan().layoutNow().card(made.toStdString()));
    QTest::keyClick(&plan(), Qt::Key_M, Qt::ShiftModifier);
    waitForResults();
    QVERIFY(document().subPlans.empty());
    QCOMPARE(document().nodes.size(), before.nodes.size());
    for (const Node& node : before.nodes) QVERIFY2(*document().find(node.uid) == node, node.uid.c_str());
    trigger("edit_undo");
    QVERIFY(document().find(made.toStdString()));
    trigger("edit_undo");
    trigger("edit_undo");
    QVERIFY(document() == before);
  }

  void inAndOutAgain() {
    open();
    make(QStringLiteral("Level"));
    const QString made = quid("Level");
    auto* line = w().findChild<QWidget*>(QStringLiteral("path_line"));
    QVERIFY(!line->isVisible());
    doubleClick(made);
    QVERIFY(line->isVisible());
    QCOMPARE(w().model().insideTitles(), QStringList{QStringLiteral("Level")});
    // Inside it shows the counts of this use, and its ends.
    QVERIFY(document().find("slope") && !document().find(made.toStdString()));
    QVERIFY(plan().layoutNow().card("slope"));
    waitForResults();
    const std::size_t kept = report("Level places").passed.front();
    QCOMPARE(kept, idsOf(made.toStdString()).size());
    // An edit inside changes what comes out; undo from outside leads in again.
    plan().select({QStringLiteral("slope")});
    QTest::keyClick(&plan(), Qt::Key_K);
    waitForResults();
    QVERIFY(idsOf(made.toStdString()).size() > kept);
    QTest::mouseClick(w().findChild<QToolButton*>(QStringLiteral("path_0")), Qt::LeftButton);
    QVERIFY(w().model().inside().empty() && !line->isVisible());
    QVERIFY(document().find(made.toStdString()));
    trigger("edit_undo");
    QCOMPARE(w().model().inside().size(), std::size_t{1});
    QVERIFY(!document().find("slope")->isSkipped);
    // By keys, with the card selected that one comes from.
    plan().setFocus();
    QTest::keyClick(&plan(), Qt::Key_Left, Qt::AltModifier);
    QCOMPARE(plan().selection(), QStringList{made});
    QTest::keyClick(&plan(), Qt::Key_Right, Qt::AltModifier);
    QCOMPARE(w().model().inside().size(), std::size_t{1});
    // Why here and other views lead in from anywhere.
    w().model().leave(0);
    QVERIFY(w().model().reveal(QStringLiteral("slope")));
    QCOMPARE(w().model().inside().size(), std::size_t{1});
  }

  void controlsComeToTheFront() {
    open();
    make(QStringLiteral("Level"));
    const QString made = quid("Level");
    const auto ids = idsOf(made.toStdString());
    doubleClick(made);
    plan().select({QStringLiteral("sow")});
    QWidget* density = nullptr;
    for (QWidget* field : w().bench().findChildren<NumberField*>())
      if (field->objectName() == QStringLiteral("density") && field->isVisible()) density = field;
    QVERIFY(density);
    while (density && !qobject_cast<ParamEditor*>(density)) density = density->parentWidget();
    QVERIFY(density);
    QTimer::singleShot(0, qApp, [] {
      auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
      QVERIFY(menu);
      for (QAction* action : menu->actions())
        if (action->text() == QStringLiteral("Bring to the front")) action->trigger();
      menu->close();
    });
    Q_EMIT density->customContextMenuRequested(QPoint(2, 2));
    QCOMPARE(document().find("sow")->follows.at("density"), std::string("density"));
    // Outside it is a control of the card; what it was set to is what it is.
    w().activateWindow();  // the menu had taken the keys
    QTRY_VERIFY(QApplication::activeWindow() == &w());
    plan().setFocus();
    QTRY_VERIFY(plan().hasFocus());
    QTest::keyClick(&plan(), Qt::Key_Left, Qt::AltModifier);
    QVERIFY(w().model().inside().empty());
    waitForResults();
    QCOMPARE(idsOf(made.toStdString()), ids);
    NumberField* front = nullptr;
    for (NumberField* field : w().bench().findChildren<NumberField*>())
      if (field->objectName() == QStringLiteral("density") && field->isVisible()) front = field;
    QVERIFY(front);
    // A second use, from the find field: apart, with values of its own.
    plan().select({});
    plan().setFocus();
    addByKeys(QStringLiteral("level"));
    waitForResults();
    QCOMPARE(plan().selection().size(), 1);
    const QString second = plan().selection().first();
    QVERIFY(second != made && document().find(second.toStdString())->isInstance());
    const InputSpec& ground = kindOf(*document().find(second.toStdString()))->inputs.front();
    w().model().connectNodes(QStringLiteral("ground"), "surface", second, ground.id);
    w().model().setParam(second, "density", 0.5);
    waitForResults();
    QVERIFY(!idsOf(second.toStdString()).empty());
    QVERIFY(idsOf(second.toStdString()).size() < ids.size());
    QCOMPARE(idsOf(made.toStdString()), ids);
    // Inside it is said for how many uses edits count.
    doubleClick(second);
    auto* uses = w().findChild<QLabel*>(QStringLiteral("path_uses"));
    QVERIFY(uses && uses->text().contains(QLatin1Char('2')));
    QCOMPARE(std::get<double>(document().fronts.front().final), 0.5);
    // With nothing selected, the Bench has what the sub-plan says of itself.
    plan().select({});
    auto* sentence = w().bench().findChild<QLineEdit*>(QStringLiteral("sub_plan.sentence"));
    QVERIFY(sentence);
    sentence->setFocus();
    QTest::keyClicks(sentence, QStringLiteral("{density} stones"));
    QTest::keyClick(sentence, Qt::Key_Return);
    w().model().leave(0);
    QCOMPARE(sentenceOf(document(), *document().find(second.toStdString()), Quality::Draft),
             std::string("0.5 per m² stones"));
    // A copy is a use of its own.
    plan().select({second});
    plan().setFocus();
    QTest::keyClick(&plan(), Qt::Key_D, Qt::ControlModifier);
    waitForResults();
    const QString third = plan().selection().first();
    QVERIFY(third != second);
    QCOMPARE(w().model().usesOf(document().subPlans.front().uid), 3);
  }

  /// A use is a node like others: in Site, skipped, nested; a failure inside is on its card, and a line leads there.
  void aUseIsANodeLikeOthers() {
    open();
    make(QStringLiteral("Level"));
    const QString made = quid("Level");
    plan().select({made});
    plan().setFocus();
    QTest::keyClick(&plan(), Qt::Key_I);
    waitForResults();
    QCOMPARE(w().service().latest()->inSite, made.toStdString());
    QVERIFY(w().service().latest()->scene);
    std::size_t shown = 0;
    for (const PictureLayer& layer : w().service().latest()->shown) shown += layer.points->count;
    QCOMPARE(shown, idsOf(made.toStdString()).size());
    QCOMPARE(titleOf(w().service().latest()->evaluation, made.toStdString()), std::string("Level"));
    trigger("plan_go_inside");
    QCOMPARE(w().service().latest()->inSite, made.toStdString());  // it stays in Site while one is inside
    QCOMPARE(w().model().inside().size(), std::size_t{1});
    // One more inside of it.
    plan().select({QStringLiteral("sow")});
    plan().setFocus();
    QTest::keyClick(&plan(), Qt::Key_M);
    auto* line = w().findChild<QLineEdit*>(QStringLiteral("rename_line"));
    QVERIFY(line->isVisible());
    line->selectAll();
    QTest::keyClicks(line, QStringLiteral("Deeper"));
    QTest::keyClick(line, Qt::Key_Return);
    waitForResults();
    const QString deeper = quid("Deeper");
    doubleClick(deeper);
    QCOMPARE(w().model().insideTitles(), (QStringList{QStringLiteral("Level"), QStringLiteral("Deeper")}));
    QVERIFY(document().find("sow"));
    w().model().setParam(QStringLiteral("sow"), "density", 3.0);
    waitForResults();
    QTest::mouseClick(w().findChild<QToolButton*>(QStringLiteral("path_1")), Qt::LeftButton);
    QCOMPARE(w().model().inside().size(), std::size_t{1});
    QVERIFY(document().find(deeper.toStdString()));
    QTest::mouseClick(w().findChild<QToolButton*>(QStringLiteral("path_0")), Qt::LeftButton);
    waitForResults();
    // What fails there is told here, by its name.
    w().model().enter(made);
    w().model().edit(QStringLiteral("break"), [](Plan& p) { p.find("slope")->kind = "no-such-kind"; });
    w().model().leave(0);
    waitForResults();
    const NodeReport& failed = report("Level");
    QCOMPARE(failed.state, NodeState::Failed);
    QCOMPARE(failed.problems.front().where, std::string("Level › Level places"));
    QVERIFY(plan().layoutNow().card(made.toStdString())->isFailed);
    plan().reveal(QStringLiteral("slope"));
    QCOMPARE(plan().selection(), QStringList{QStringLiteral("slope")});
    QCOMPARE(w().model().inside().size(), std::size_t{1});
  }

  /// The sheet goes through the values of a control, or of two; a click takes them.
  void valuesAreSeenSideBySide() {
    open();
    make(QStringLiteral("Level"));
    const QString made = quid("Level");
    w().model().enter(made);
    w().model().bringToFront(QStringLiteral("sow"), "density");
    w().model().bringToFront(QStringLiteral("sow"), "way");
    w().model().leave(0);
    waitForResults();
    const PlanPtr before = w().model().snapshot();
    trigger("plan_contact_sheet");
    auto* sheet = w().findChild<ContactSheet*>();
    QVERIFY(sheet);
    const auto choose = [&](const char* box, const QString& words) {
      auto* list = sheet->findChild<QComboBox*>(QLatin1String(box));
      const int at = list->findText(words, Qt::MatchStartsWith);
      QVERIFY2(at >= 0, qPrintable(words));
      list->setCurrentIndex(at);
      Q_EMIT list->activated(at);
    };
    choose("sheet_target", QStringLiteral("Level: Density"));
    QVERIFY(!sheet->across().isSeed());
    auto* to = sheet->findChild<NumberField*>(QStringLiteral("sheet_to"));
    auto* from = sheet->findChild<NumberField*>(QStringLiteral("sheet_from"));
    QVERIFY(to && from);
    QTRY_VERIFY(to->isVisible());
    type(from, QStringLiteral("0"));
    type(sheet->findChild<NumberField*>(QStringLiteral("sheet_to")), QStringLiteral("20"));
    QTRY_COMPARE_WITH_TIMEOUT(sheet->pictureCount(), 9, 60'000);
    QCOMPARE(sheet->across().at(0, 9), 1.0);   // 5 %
    QCOMPARE(sheet->across().at(8, 9), 19.0);  // 95 %
    const auto placedIn = [&](int cell) {
      const QString words = sheet->findChild<QToolButton*>(QStringLiteral("sheet_cell_%1").arg(cell))->text();
      return QLocale().toInt(words.section(QStringLiteral(" · "), -1).section(QLatin1Char(' '), 0, 0));
    };
    for (int k = 1; k < 9; ++k) QVERIFY(placedIn(k) > placedIn(k - 1));
    QVERIFY(w().model().snapshot() == before);  // nothing changes until one is chosen
    // Two: the second goes down the columns, a choice through what there is to choose.
    choose("sheet_second", QStringLiteral("and Level: "));
    QVERIFY(sheet->down());
    QTRY_COMPARE_WITH_TIMEOUT(sheet->pictureCount(), 3 * sheet->down()->most(3), 60'000);
    QTest::mouseClick(sheet->findChild<QToolButton*>(QStringLiteral("sheet_cell_4")), Qt::LeftButton);
    const ParamMap& params = document().find(made.toStdString())->params;
    QCOMPARE(std::get<double>(params.at("density")), 10.0);
    QCOMPARE(std::get<std::string>(params.at("way")), sheet->down()->options[1].id);
    waitForResults();
    trigger("edit_undo");
    QVERIFY(document() == *before);
  }

  /// What is kept in the library is found in every plan, and comes with its first use.
  void theLibraryIsInTheFindField() {
    open();
    make(QStringLiteral("Only level"));
    const QString made = quid("Only level");
    const std::string uid = document().find(made.toStdString())->subPlan;
    w().model().enter(made);
    w().model().bringToFront(QStringLiteral("sow"), "density");
    w().model().editSubPlan(QStringLiteral("call"), [](SubPlan& s) {
      s.fronts.front().id = "extra";
      s.fronts.front().label = "Extra";
      for (Node& n : s.nodes)
        for (auto& [param, formula] : n.follows) formula = "extra";
    });
    w().model().leave(0);
    plan().select({made});
    auto* keep = w().bench().findChild<QToolButton*>(QStringLiteral("sub_plan_keep"));
    QVERIFY(keep);
    QTest::mouseClick(keep, Qt::LeftButton);
    QTRY_VERIFY(w().model().library().find(uid));
    // In another plan it is offered, and one step brings it and its card.
    w().model().undoStack().setClean();  // so that nothing is asked
    QVERIFY(w().openFile(test::sourcePath("demo/examples/from-your-mesh.arvesk")));
    waitForResults();
    const Plan before = document();
    QVERIFY(!document().findSubPlan(uid));
    plan().setFocus();
    plan().select({});
    addByKeys(QStringLiteral("only level"));
    QCOMPARE(plan().selection().size(), 1);
    const Node* added = document().find(plan().selection().first().toStdString());
    QVERIFY(added && added->isInstance() && added->subPlan == uid && document().findSubPlan(uid));
    trigger("edit_undo");
    QVERIFY(document() == before);
    trigger("edit_redo");
    const std::string addedUid = plan().selection().first().toStdString();
    w().model().setParam(QString::fromStdString(addedUid), "extra", 3.0);
    // A later version is offered on the Bench.
    const auto own = w().model().library().find(uid)->file;
    QFile file(QString::fromStdString(own));
    QVERIFY(file.open(QIODevice::ReadWrite));
    Plan later = *parsePlan(file.readAll().toStdString(), own);
    later.findSubPlan(uid)->version = 4;
    later.findSubPlan(uid)->help = "Later";
    later.findSubPlan(uid)->news = "It is wider now";
    std::erase_if(later.findSubPlan(uid)->fronts, [](const FrontControl& f) { return f.id == "extra"; });
    for (Node& n : later.findSubPlan(uid)->nodes) n.follows.clear();
    file.resize(0);
    file.write(QByteArray::fromStdString(formatPlan(later)));
    file.close();
    auto library = std::make_shared<const Library>(
        readLibrary({{QFileInfo(file).absolutePath().toStdString(), false}}));
    w().model().setLibrary(library);
    plan().select({QString::fromStdString(addedUid)});
    auto* see = w().bench().findChild<QToolButton*>(QStringLiteral("sub_plan_later"));
    QVERIFY(see && see->isVisible() && see->text().contains(QLatin1Char('4')));
    QVERIFY(w().findChild<QLabel*>(QStringLiteral("message"))->text().contains(QStringLiteral("Only level")));
    QTest::mouseClick(see, Qt::LeftButton);
    // It is seen beside the plan's own first; only a click takes it.
    QPointer<ContactSheet> sheet = w().findChild<ContactSheet*>();
    QVERIFY(sheet);
    QTRY_COMPARE_WITH_TIMEOUT(sheet->pictureCount(), 2, 60'000);
    const auto* head = sheet->findChild<QLabel*>(QStringLiteral("sheet_head"));
    QVERIFY2(
        head->text().contains(QStringLiteral("It is wider now")) && head->text().contains(QStringLiteral("“Extra”")),
        qPrintable(head->text()));
    QCOMPARE(document().findSubPlan(uid)->version, 1);
    QTest::mouseClick(sheet->findChild<QToolButton*>(QStringLiteral("sheet_cell_0")), Qt::LeftButton);
    QTRY_VERIFY(!sheet);
    QCOMPARE(document().findSubPlan(uid)->version, 1);
    QAction* again = nullptr;
    for (QAction* action : w().findChild<QMenu*>(QStringLiteral("plan_later"))->actions()) again = action;
    QVERIFY(again && again->text().contains(QStringLiteral("Only level")));
    again->trigger();
    sheet = w().findChild<ContactSheet*>();
    QTRY_COMPARE_WITH_TIMEOUT(sheet->pictureCount(), 2, 60'000);
    QTest::mouseClick(sheet->findChild<QToolButton*>(QStringLiteral("sheet_cell_1")), Qt::LeftButton);
    QCOMPARE(document().findSubPlan(uid)->version, 4);
    QCOMPARE(document().findSubPlan(uid)->help, std::string("Later"));
    QVERIFY(!document().find(addedUid)->params.contains("extra"));
    QVERIFY(w().findChild<QMenu*>(QStringLiteral("plan_later"))->actions().isEmpty());
  }

  /// Further folders are read too, until they are left away; F1 opens the page of what is used.
  void furtherFoldersAreRead() {
    QTemporaryDir team;
    Plan author;
    author.nodes = {test::node("only", "sow-on-surface")};
    const auto made = makeSubPlan(author, {"only"}, "Sown by the team");
    QVERIFY(made);
    author.findSubPlan(made->subPlan)->help = "Sows as the team does.";
    QVERIFY(keepInLibrary(author, made->subPlan, team.path().toStdString(), team.path().toStdString()));
    Settings().setLibraryFolders({team.path()});
    openWindow();
    open();
    QTRY_VERIFY(w().model().library().find(made->subPlan));
    plan().select({});
    addByKeys(QStringLiteral("by the team"));
    const Node* use = document().find(plan().selection().first().toStdString());
    QVERIFY(use && use->subPlan == made->subPlan);
    trigger("help_manual");
    const auto* page = w().findChild<QTextBrowser*>(QStringLiteral("manual_text"));
    QVERIFY2(page && page->toPlainText().contains(QStringLiteral("Sows as the team does.")),
             qPrintable(page ? page->toPlainText() : QString()));
    auto* folders = w().findChild<QMenu*>(QStringLiteral("plan_library_folders"));
    Q_EMIT folders->aboutToShow();
    QAction* further = nullptr;
    for (QAction* action : folders->actions())
      if (action->text().contains(team.path())) further = action;
    QVERIFY(further && further->isEnabled());
    QVERIFY(!folders->actions().first()->isEnabled());  // the own one stays
    further->trigger();
    QTRY_VERIFY(!w().model().library().find(made->subPlan));
    QVERIFY(Settings().libraryFolders().isEmpty());
    QVERIFY(document().findSubPlan(made->subPlan));  // the plan carries what it uses
  }

  /// A control of a node is brought to the front by its name, dropped on the line over the Plan; or a front control
  /// that is there sets it too.
  void aControlIsDroppedOnTheLine() {
    open();
    make(QStringLiteral("Level"));
    w().model().enter(quid("Level"));
    plan().select({QStringLiteral("sow")});
    auto* line = w().findChild<QWidget*>(QStringLiteral("path_line"));
    const auto cue = [] {
      QString words;
      for (QWidget* top : QApplication::topLevelWidgets())
        if (auto* label = qobject_cast<QLabel*>(top); label && label->objectName() == QStringLiteral("front_cue"))
          words = label->text();
      return words;
    };
    const auto nameOf = [&](const QString& words) {
      QLabel* found = nullptr;
      for (QLabel* label : w().bench().findChildren<QLabel*>())
        if (label->text() == words && label->isVisible()) found = label;
      return found;
    };
    const auto dropOn = [&](QWidget* target, const QString& words, const std::function<void()>& between) {
      QLabel* name = nameOf(words);
      QVERIFY2(name, qPrintable(words));
      const QPoint to = name->mapFromGlobal(target->mapToGlobal(target->rect().center()));
      test::dragMouse(name, QPoint(3, 3), to, 6, between);
      QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    };
    // Beside the line, or left with Esc, nothing happens.
    dropOn(&plan(), QStringLiteral("Density"),
           [&] { QVERIFY(cue().isEmpty() || cue().startsWith(QStringLiteral("Density: drop it on the line"))); });
    QVERIFY(document().fronts.empty() && cue().isEmpty());
    bool isLeft = false;
    dropOn(line, QStringLiteral("Density"), [&] {
      if (!isLeft) QTest::keyClick(&plan(), Qt::Key_Escape);
      isLeft = true;
    });
    QVERIFY(document().fronts.empty());
    dropOn(line, QStringLiteral("Density"), [] {});
    QCOMPARE(document().fronts.size(), std::size_t{1});
    QCOMPARE(document().find("sow")->follows.at("density"), std::string("density"));
    auto* chip = w().findChild<QToolButton*>(QStringLiteral("path_front.density"));
    QVERIFY(chip && chip->isVisible());
    QStringList said;
    dropOn(chip, QStringLiteral("Footprint"), [&] { said << cue(); });
    QCOMPARE(said.last(), QStringLiteral("Footprint: set by “Density” too"));
    QCOMPARE(document().fronts.size(), std::size_t{1});
    QCOMPARE(document().find("sow")->follows.at("footprint"), std::string("density"));
    // What is no number does not fit on it: it becomes a control of its own.
    plan().select({QStringLiteral("slope")});
    dropOn(w().findChild<QToolButton*>(QStringLiteral("path_front.density")), QStringLiteral("Slope"), [] {});
    QCOMPARE(document().fronts.size(), std::size_t{2});
    trigger("edit_undo");
    trigger("edit_undo");
    QVERIFY(!document().find("sow")->follows.contains("footprint"));
  }

  /// What its author says of a front control, in what order they stand, and what must hold.
  void theAuthorSaysWhatItIs() {
    open();
    make(QStringLiteral("Level"));
    const QString made = quid("Level");
    w().model().enter(made);
    w().model().bringToFront(QStringLiteral("sow"), "density");
    w().model().bringToFront(QStringLiteral("sow"), "way");
    waitForResults();
    QTest::mouseClick(w().findChild<QToolButton*>(QStringLiteral("path_fronts")), Qt::LeftButton);
    const auto button = [&](const char* name) {
      QToolButton* found = nullptr;
      for (QToolButton* b : w().bench().findChildren<QToolButton*>(QLatin1String(name)))
        if (b->isVisible()) found = b;
      return found;
    };
    QVERIFY(button("front.0.more"));
    QTest::mouseClick(button("front.0.more"), Qt::LeftButton);
    auto* window = w().findChild<QDialog*>(QStringLiteral("front_window"));
    QVERIFY(window && window->isVisible());
    const auto line = [&](const char* name) { return window->findChild<QLineEdit*>(QLatin1String(name)); };
    line("front_label")->setText(QStringLiteral("How thick"));
    line("front_group")->setText(QStringLiteral("Amount"));
    window->findChild<QPlainTextEdit*>(QStringLiteral("front_help"))->setPlainText(QStringLiteral("Stones on level"));
    const auto number = [&](const char* name, const QString& words) {
      type(window->findChild<NumberField*>(QLatin1String(name)), words);
    };
    const auto ok = [&] { return window->findChild<QDialogButtonBox*>()->button(QDialogButtonBox::Ok); };
    number("front_least", QStringLiteral("9"));
    number("front_most", QStringLiteral("8"));
    QVERIFY(!ok()->isEnabled() && window->findChild<QLabel*>(QStringLiteral("front_fault"))->isVisible());
    number("front_least", QStringLiteral("0"));
    number("front_most", QStringLiteral("40"));
    QVERIFY(ok()->isEnabled());
    QTest::mouseClick(ok(), Qt::LeftButton);
    const FrontControl& control = document().fronts.front().control;
    QCOMPARE(control.label, std::string("How thick"));
    QCOMPARE(control.help, std::string("Stones on level"));
    QCOMPARE(control.most, 40.0);
    QTest::mouseClick(button("front.1.up"), Qt::LeftButton);
    QCOMPARE(document().fronts.front().control.id, std::string("way"));
    // A check, in its author's words.
    QTest::mouseClick(button("check.add"), Qt::LeftButton);
    const auto check = [&](const char* name) {
      QLineEdit* found = nullptr;
      for (QLineEdit* l : w().bench().findChildren<QLineEdit*>(QLatin1String(name)))
        if (l->isVisible()) found = l;
      return found;
    };
    const auto enter = [&](const char* name, const QString& words) {
      check(name)->selectAll();
      QTest::keyClicks(check(name), words);
      QTest::keyClick(check(name), Qt::Key_Return);
    };
    QVERIFY(check("check.0.formula"));
    enter("check.0.formula", QStringLiteral("density < 0"));
    enter("check.0.words", QStringLiteral("There is no ground for it"));
    w().model().leave(0);
    waitForResults();
    const auto& problems = report("Level").problems;
    QVERIFY(std::any_of(problems.begin(), problems.end(),
                        [](const Problem& p) { return p.message == "There is no ground for it"; }));
    // Outside, the control is what was said.
    plan().select({made});
    const NodeKind* kind = kindOf(*document().find(made.toStdString()));
    QCOMPARE(kind->params[1].label, std::string("How thick"));
    QCOMPARE(kind->params[1].group, std::string("Amount"));
    w().model().setParam(made, "density", 41.0);
    waitForResults();
    QVERIFY(!report("Level").problems.empty());
    // By what it is tagged with it is found.
    w().model().enter(made);
    plan().select({});
    enter("sub_plan.tags", QStringLiteral("pebbly level"));
    w().model().leave(0);
    plan().select({});
    w().activateWindow();  // the dialog had taken the keys
    QTRY_VERIFY(QApplication::activeWindow() == &w());
    plan().setFocus();
    addByKeys(QStringLiteral("pebbly"));
    QCOMPARE(document().find(plan().selection().first().toStdString())->subPlan, document().subPlans.front().uid);
  }

  /// The find field shows what a node or tool does, as a picture.
  void theFindFieldShowsPictures() {
    open();
    QTest::keyClick(&plan(), Qt::Key_Return);
    auto* line = w().findChild<QLineEdit*>(QStringLiteral("find_line"));
    auto* picture = w().findChild<QLabel*>(QStringLiteral("find_picture"));
    auto* help = w().findChild<QLabel*>(QStringLiteral("find_help"));
    for (const char* words : {"clearance", "ragged patches"}) {
      line->clear();
      QTest::keyClicks(line, QLatin1String(words));
      QTRY_VERIFY_WITH_TIMEOUT(!picture->pixmap(Qt::ReturnByValue).isNull(), 60'000);
      QVERIFY(picture->isVisible() && !help->text().isEmpty());
      const QImage image = picture->pixmap(Qt::ReturnByValue).toImage();
      std::set<QRgb> colors;
      for (int k = 0; k < image.width() * image.height(); k += 7)
        colors.insert(image.pixel(k % image.width(), k / image.width()));
      QVERIFY2(colors.size() > 8, words);  // it is a picture of something
    }
    QTest::keyClick(line, Qt::Key_Escape);
  }

  /// Parents of a scene file are chosen from a list with counts, or by Ctrl and a click on one of their markers.
  void parentsAreChosenFromAListOrInSite() {
    QVERIFY(w().openFile(test::sourcePath("demo/sub-plans/place-settings.arvesk")));
    waitForResults();
    plan().select({QStringLiteral("shown")});
    QToolButton* names = nullptr;
    QTRY_VERIFY([&] {
      for (QToolButton* b : w().bench().findChildren<QToolButton*>(QStringLiteral("parents.names")))
        if (b->isVisible()) names = b;
      return names != nullptr;
    }());
    Q_EMIT names->menu()->aboutToShow();
    QStringList offered;
    for (QAction* action : names->menu()->actions()) offered << action->text();
    QVERIFY2(offered.join(QLatin1Char('|')).contains(QStringLiteral("layout\t")),
             qPrintable(offered.join(QLatin1Char(' '))));
    const auto parents = [&] { return std::get<std::string>(document().find("shown")->params.at("parents")); };
    QCOMPARE(parents(), std::string("layout"));
    // Every lamp stands below "layout": a click on one takes it out, another puts it in again.
    const PointsPtr lamps = w().service().latest()->evaluation.firstOf<PointsPtr>("out");
    QVERIFY(lamps && lamps->count > 3);
    SiteView& site = w().site();
    const auto* picker = dynamic_cast<ParentPicker*>(site.tool());
    QVERIFY(picker && !picker->isArmed());  // a mere click selects, as elsewhere
    QTRY_VERIFY_WITH_TIMEOUT(picker->isReady(), 30'000);
    std::optional<QPoint> at;
    for (std::size_t i = 0; i < lamps->count && !at; ++i) {
      const Vec3 p = site.camera().projected(lamps->position[i], site.width(), site.height());
      if (p.z > 0 && QRectF(60, 60, site.width() - 120, site.height() - 160).contains(QPointF(p.x, p.y)))
        at = QPoint(static_cast<int>(p.x), static_cast<int>(p.y));
    }
    QVERIFY(at);
    QTest::mouseClick(&site, Qt::LeftButton, Qt::ControlModifier, *at);
    QCOMPARE(parents(), std::string());
    QTest::mouseClick(&site, Qt::LeftButton, Qt::ControlModifier, *at);
    QCOMPARE(parents(), std::string("layout"));
  }

  /// A copy whose first use keeps the uids of the nodes that it was made of is another one all the same.
  void copiesOfTheFirstUseAreApart() {
    open();
    make(QStringLiteral("Level"));
    const QString made = quid("Level");
    plan().select({made});
    QTest::keyClick(&plan(), Qt::Key_D, Qt::ControlModifier);
    waitForResults();
    const QString copy = plan().selection().first();
    QVERIFY(copy != made);
    const auto a = idsOf(made.toStdString());
    const auto b = idsOf(copy.toStdString());
    QVERIFY(!a.empty() && !b.empty());
    QCOMPARE(w().service().latest()->evaluation.reports.at(copy.toStdString()).state, NodeState::Done);
    const std::set<std::uint64_t> all(a.begin(), a.end());
    QVERIFY(std::none_of(b.begin(), b.end(), [&](std::uint64_t id) { return all.contains(id); }));
  }
};

QTEST_MAIN(TestSubPlansByHand)
#include "tst_sub_plans.moc"
