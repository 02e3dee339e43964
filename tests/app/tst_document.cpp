// Work that is kept: unsaved work found again, saving beside others, undo in every field and window.
#include "app/bench/number_field.h"
#include "app/window/export_window.h"
#include "core/base/safe_file.h"
#include "core/formats/plan_file.h"
#include "core/plan/plan_paths.h"
#include "tests/app/window_test.h"

#include <QImage>
#include <QInputDialog>
#include <QKeySequenceEdit>
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QPushButton>
#include <QSignalSpy>
#include <QTimer>
#include <QToolButton>
#include <QTreeWidget>

#include <unistd.h>

#include <filesystem>

using namespace arvesk;
using test::answerNextBox;

namespace {

/// Once the window of unsaved work is there, does this to it.
void inRecoveryWindow(std::function<void(QDialog&)> what, int tries = 200) {
  QTimer::singleShot(50, qApp, [what, tries] {
    auto* box = qobject_cast<QDialog*>(QApplication::activeModalWidget());
    if (!box && tries > 0) return inRecoveryWindow(what, tries - 1);
    QVERIFY2(box, "the window of unsaved work was expected");
    QCOMPARE(box->objectName(), QStringLiteral("recovery_box"));
    what(*box);
  });
}
void clickIn(QDialog& box, const char* button) {
  QTest::mouseClick(box.findChild<QWidget*>(QLatin1String(button)), Qt::LeftButton);
}
void clickInRecoveryWindow(const char* button) {
  inRecoveryWindow([button](QDialog& box) { clickIn(box, button); });
}

}  // namespace

class TestDocument : public test::WindowTest {
  Q_OBJECT

  QString file(const char* name) { return m_dir.filePath(QLatin1String(name)); }
  /// The example with its props.
  QString copyOfExample(const char* name) {
    const QString to = file(name);
    QFile::remove(to);
    auto plan = loadPlan(test::sourcePath("demo/examples/one-slope.arvesk").toStdString());
    if (!plan) qFatal("no example");
    rebasePaths(*plan, test::sourcePath("demo/examples").toStdString(), m_dir.path().toStdString());
    if (!savePlan(*plan, to.toStdString())) qFatal("cannot write");
    return to;
  }
  std::string contentOf(const QString& path) { return *readWhole(path.toStdString(), kLargestPlan); }
  QString message() { return w().findChild<QLabel*>(QStringLiteral("message"))->text(); }
  /// Keeps the unsaved work as the timer does, and waits for it.
  void keep(MainWindow& window, std::size_t versions) {
    window.findChild<Recovery*>()->saveNow();
    const auto kept = [] {
      std::size_t n = 0;
      for (QDirIterator it(Recovery::root(), {QStringLiteral("*.arvesk")}, QDir::Files, QDirIterator::Subdirectories);
           it.hasNext(); it.next())
        ++n;
      return n;
    };
    // Asked once each time: while one is replaced by the next there is one more for a moment.
    QVERIFY(QTest::qWaitFor([&] { return kept() == versions; }, 60'000));
  }
  /// The window goes without being closed, as in a crash.
  void crash() { m_window.reset(); }
  void newWindow() {
    m_window = std::make_unique<MainWindow>();
    m_window->show();
  }

 private Q_SLOTS:
  void initTestCase() { startTests(); }
  void init() { openWindow(); }
  void cleanup() { m_window.reset(); }

  void unsavedWorkIsGuardedAndTakenBack() {
    const QString path = copyOfExample("guarded.arvesk");
    const std::string saved = contentOf(path);
    QVERIFY(w().openFile(path));
    w().model().rename(QStringLiteral("slope"), QStringLiteral("Renamed"));
    answerNextBox(QStringLiteral("Cancel"));
    QVERIFY(!w().close());
    keep(w(), 1);
    QVERIFY(Recovery::leftBehind().empty());  // while its window lives, nobody else finds it
    crash();
    QCOMPARE(Recovery::leftBehind().size(), std::size_t{1});

    newWindow();
    inRecoveryWindow([](QDialog& box) { QTest::keyClick(&box, Qt::Key_Escape); });  // takes nothing away
    QVERIFY(w().openFile(path));
    QCOMPARE(document().find("slope")->title, std::string("Level places"));
    QCOMPARE(Recovery::leftBehind().size(), std::size_t{1});

    clickInRecoveryWindow("recovery_take");
    QVERIFY(w().openFile(path));
    QCOMPARE(document().find("slope")->title, std::string("Renamed"));
    QVERIFY(w().isWindowModified());
    QVERIFY(Recovery::leftBehind().empty());
    trigger("edit_undo");  // leads back to what was saved
    QCOMPARE(formatPlan(document()), saved);
    trigger("edit_redo");
    QVERIFY(w().saveTo(path));
    QCOMPARE(loadPlan(path.toStdString())->find("slope")->title, std::string("Renamed"));
    crash();
    QTRY_VERIFY(Recovery::leftBehind().empty());  // saved work is not offered
  }

  void aNewPlanIsOfferedAtTheNextStart() {
    plan().setFocus();
    addByKeys(QStringLiteral("shape"));
    keep(w(), 1);
    crash();
    newWindow();
    clickInRecoveryWindow("recovery_later");
    w().offerLeftBehind();
    QVERIFY(document().nodes.empty());
    clickInRecoveryWindow("recovery_take");
    w().offerLeftBehind();
    QCOMPARE(document().nodes.size(), std::size_t{1});
    QVERIFY(w().file().isEmpty() && w().isWindowModified());
    // And again, as it was not saved.
    crash();
    newWindow();
    clickInRecoveryWindow("recovery_discard");
    w().offerLeftBehind();
    QVERIFY(Recovery::leftBehind().empty());
  }

  void severalVersionsAreKept() {
    plan().setFocus();
    addByKeys(QStringLiteral("shape"));
    for (std::size_t n = 1; n <= 10; ++n) {
      w().model().rename(QString::fromStdString(document().nodes[0].uid), QStringLiteral("Name %1").arg(n));
      keep(w(), std::min<std::size_t>(n, 8));
      if (n > 8) QTest::qWait(100);
    }
    crash();
    const auto works = Recovery::leftBehind();
    QCOMPARE(works.size(), std::size_t{1});
    QCOMPARE(works[0].versions.size(), std::size_t{8});
    for (std::size_t v = 0; v < 8; ++v)
      QCOMPARE(loadPlan(works[0].versions[v].file.toStdString())->nodes[0].title, "Name " + std::to_string(10 - v));
    newWindow();
    inRecoveryWindow([](QDialog& box) {
      auto* list = box.findChild<QTreeWidget*>(QStringLiteral("recovery_list"));
      list->setCurrentItem(list->topLevelItem(0)->child(2));
      clickIn(box, "recovery_take");
    });
    w().offerLeftBehind();
    QCOMPARE(document().nodes[0].title, std::string("Name 7"));
  }

  void windowsDoNotShareWhatTheyKeep() {
    const QString path = copyOfExample("shared.arvesk");
    QVERIFY(w().openFile(path));
    auto second = std::make_unique<MainWindow>();
    QVERIFY(second->openFile(path));
    w().model().rename(QStringLiteral("slope"), QStringLiteral("First"));
    second->model().rename(QStringLiteral("slope"), QStringLiteral("Second"));
    keep(w(), 1);
    keep(*second, 2);
    QVERIFY(Recovery::leftBehind().empty());
    // The one saves; the other is told, and asked before it replaces that.
    QVERIFY(w().saveTo(path));
    answerNextBox(QStringLiteral("Cancel"));
    QVERIFY(!second->saveTo(path));
    QCOMPARE(loadPlan(path.toStdString())->find("slope")->title, std::string("First"));
    QVERIFY(second->isWindowModified());
    second.reset();  // crashes
    const auto works = Recovery::leftBehind();
    QCOMPARE(works.size(), std::size_t{1});
    QCOMPARE(loadPlan(works[0].versions[0].file.toStdString())->find("slope")->title, std::string("Second"));
    Recovery::remove(works[0]);
  }

  void closingWithoutSavingForgetsOnlyWhenTold() {
    QVERIFY(w().openFile(copyOfExample("given-up.arvesk")));
    w().model().rename(QStringLiteral("slope"), QStringLiteral("Renamed"));
    keep(w(), 1);
    answerNextBox(QStringLiteral("Discard"));
    QVERIFY(w().close());
    crash();
    QVERIFY(Recovery::leftBehind().empty());
  }

  void savingAsksWhenTheFileWasWrittenByOthers() {
    const QString path = copyOfExample("changed.arvesk");
    QVERIFY(w().openFile(path));
    w().model().rename(QStringLiteral("slope"), QStringLiteral("Mine"));
    QVERIFY(w().saveTo(path));  // as it was: nothing is asked
    w().model().rename(QStringLiteral("slope"), QStringLiteral("Mine again"));
    QVERIFY(w().saveTo(path));
    std::string theirs = contentOf(path);
    theirs.replace(theirs.find("Mine again"), 10, "Theirs too");
    QVERIFY(writeWhole(path.toStdString(), theirs));
    QTRY_VERIFY(message().contains(QStringLiteral("written by another")));
    w().model().rename(QStringLiteral("slope"), QStringLiteral("Mine for good"));
    answerNextBox(QStringLiteral("Cancel"));
    QVERIFY(!w().saveTo(path));
    QCOMPARE(contentOf(path), theirs);
    answerNextBox(QStringLiteral("Replace it"));
    QVERIFY(w().saveTo(path));
    QCOMPARE(loadPlan(path.toStdString())->find("slope")->title, std::string("Mine for good"));
  }

  // Links stay links, rights stay, and what is read-only is refused in words.
  void savingRespectsTheFile() {
    namespace fs = std::filesystem;
    const QString real = copyOfExample("real.arvesk");
    const QString link = file("link.arvesk");
    QFile::remove(link);
    fs::create_symlink("real.arvesk", link.toStdString());
    fs::permissions(real.toStdString(), fs::perms(0640));
    const bool mayGive = ::chown(real.toStdString().c_str(), 4321, 4321) == 0;  // to nobody in particular
    QVERIFY(w().openFile(link));
    w().model().rename(QStringLiteral("slope"), QStringLiteral("Through the link"));
    QVERIFY(w().saveTo(link));
    QVERIFY(fs::is_symlink(link.toStdString()));
    QCOMPARE(loadPlan(real.toStdString())->find("slope")->title, std::string("Through the link"));
    QVERIFY(fs::status(real.toStdString()).permissions() == fs::perms(0640));
    if (mayGive) QCOMPARE(QFileInfo(real).ownerId(), 4321U);
    fs::permissions(real.toStdString(), fs::perms(0444));
    const std::string before = contentOf(real);
    w().model().rename(QStringLiteral("slope"), QStringLiteral("Not to be written"));
    answerNextBox(QStringLiteral("OK"), QStringLiteral("read-only"));
    QVERIFY(!w().saveTo(link));
    QCOMPARE(contentOf(real), before);
    QVERIFY(w().isWindowModified());
    QCOMPARE(fs::directory_entry(m_dir.path().toStdString()).is_directory(), true);
    for (const auto& entry : fs::directory_iterator(m_dir.path().toStdString()))
      QVERIFY2(entry.path().extension() != ".part", entry.path().c_str());
  }

  // From one folder to another: every path that was relative is so still, and leads to the same file; so it does for
  // what undo brings back.
  void savingElsewhereKeepsThePaths() {
    QDir().mkpath(file("deep/er"));
    QDir().mkpath(file("files"));
    QFile::copy(test::sourcePath("demo/tern-cove/kit/boulder-a.glb"), file("files/boulder.glb"));
    const QString path = file("deep/er/paths.arvesk");
    Plan made;
    Node mesh;
    mesh.uid = "mesh";
    mesh.kind = "mesh-file";
    mesh.title = "Mesh";
    mesh.params["file"] = std::string("../../files/boulder.glb");
    made.nodes.push_back(mesh);
    PropEntry prop;
    prop.uid = "prop";
    prop.name = "Boulder";
    prop.file = "../../files/boulder.glb";
    made.props.push_back(prop);
    QVERIFY(savePlan(made, path.toStdString()));
    QVERIFY(w().openFile(path));
    w().model().rename(QStringLiteral("mesh"), QStringLiteral("Stone"));
    waitForResults();
    QCOMPARE(report("Stone").state, NodeState::Done);
    QVERIFY(w().saveTo(file("moved.arvesk")));
    waitForResults();
    QCOMPARE(report("Stone").state, NodeState::Done);
    QCOMPARE(document().props[0].file, std::string("files/boulder.glb"));
    QCOMPARE(loadPlan(file("moved.arvesk").toStdString())->props[0].file, std::string("files/boulder.glb"));
    trigger("edit_undo");  // saving does not end it
    waitForResults();
    QCOMPARE(report("Mesh").state, NodeState::Done);
    QCOMPARE(std::get<std::string>(document().find("mesh")->params.at("file")), std::string("files/boulder.glb"));
    QVERIFY(w().isWindowModified());
    trigger("edit_redo");
    QVERIFY(!w().isWindowModified());
  }

  // What is missing is told when the plan opens: which files, who needs them, what that costs; and all are found again
  // at once where the folder has moved.
  void missingFilesAreToldAndFoundAgain() {
    QDir(file("kit")).removeRecursively();
    QDir(file("elsewhere")).removeRecursively();
    QVERIFY(QDir().mkpath(file("elsewhere/below/kit")));
    for (const char* name : {"boulder-a.glb", "pebble-a.glb"})
      QVERIFY(QFile::copy(test::sourcePath("demo/tern-cove/kit/") + QLatin1String(name),
                          file("elsewhere/below/kit/") + QLatin1String(name)));
    auto made = loadPlan(test::sourcePath("demo/examples/one-slope.arvesk").toStdString());
    QVERIFY(made);
    for (std::size_t i = 0; i < made->props.size(); ++i)
      made->props[i].file = i == 0 ? "kit/boulder-a.glb" : "kit/pebble-a.glb";
    Node mesh;
    mesh.uid = "mesh";
    mesh.kind = "mesh-file";
    mesh.title = "Rock face";
    mesh.params["file"] = std::string("kit/boulder-a.glb");
    Node part;
    part.uid = "part";
    part.kind = "sow-on-surface";
    part.title = "Sown on it";
    part.inputs[findNodeKind("sow-on-surface")->inputs.front().id] = {
        {"mesh", findNodeKind("mesh-file")->outputs.front().id, "slot"}};
    made->nodes.push_back(mesh);
    made->nodes.push_back(part);
    const QString path = file("missing.arvesk");
    QVERIFY(savePlan(*made, path.toStdString()));
    QVERIFY(w().openFile(path));
    waitForResults();
    auto* window = w().findChild<QDialog*>(QStringLiteral("missing_window"));
    QTRY_VERIFY(window && window->isVisible());
    auto* list = window->findChild<QTreeWidget*>(QStringLiteral("missing_list"));
    QCOMPARE(list->topLevelItemCount(), 2);
    const auto row = [&](const char* name) {
      QStringList cells;
      for (int i = 0; i < list->topLevelItemCount(); ++i)
        if (list->topLevelItem(i)->text(0) == QLatin1String(name))
          for (int c = 0; c < 4; ++c) cells.push_back(list->topLevelItem(i)->text(c));
      return cells;
    };
    const QStringList boulder = row("kit/boulder-a.glb");
    QCOMPARE(boulder.size(), 4);
    QVERIFY2(boulder[2].contains(QStringLiteral("Rock face")) &&
                 boulder[2].contains(QString::fromStdString(made->props[0].name)),
             qPrintable(boulder[2]));
    QVERIFY2(boulder[3].contains(QStringLiteral("Sown on it")), qPrintable(boulder[3]));
    QVERIFY2(boulder[3].contains(QStringLiteral("placements")), qPrintable(boulder[3]));
    // The kit that chooses a missing prop is marked where it stands.
    bool isMarked = false;
    for (const PlanTag& tag : plan().layoutNow().tags) isMarked = isMarked || (tag.isKit && tag.isFailed);
    QVERIFY(isMarked);
    // One by one: what stands beside the found one is found as well.
    auto* missing = qobject_cast<MissingWindow*>(window);
    missing->findAgain("kit/pebble-a.glb", file("elsewhere/below/kit/pebble-a.glb"));
    waitForResults();
    QCOMPARE(list->topLevelItemCount(), 0);
    QCOMPARE(report("Sown on it").state, NodeState::Done);
    trigger("edit_undo");
    waitForResults();
    QCOMPARE(list->topLevelItemCount(), 2);
    // All of them, somewhere below a folder.
    missing->findBelow(file("elsewhere"));
    QTRY_COMPARE(document().props[0].file, std::string("elsewhere/below/kit/boulder-a.glb"));
    waitForResults();
    QCOMPARE(list->topLevelItemCount(), 0);
    QVERIFY(w().service().latest()->unread.empty());
    w().model().undoStack().setClean();
  }

  void whatFailedIsTriedAgainWhenAsked() {
    const QString path = file("again.arvesk");
    Plan made;
    Node mesh;
    mesh.uid = "mesh";
    mesh.kind = "mesh-file";
    mesh.title = "Mesh";
    mesh.params["file"] = std::string("gone.glb");
    made.nodes.push_back(mesh);
    QVERIFY(savePlan(made, path.toStdString()));
    QVERIFY(w().openFile(path));
    waitForResults();
    QCOMPARE(report("Mesh").state, NodeState::Failed);
    clickCard("Mesh");
    auto* again = w().bench().findChild<QPushButton*>(QStringLiteral("try_again"));
    QTRY_VERIFY(again->isVisible());
    QSignalSpy asked(&w().service(), &EvaluationService::started);
    QTest::mouseClick(again, Qt::LeftButton);
    QCOMPARE(asked.count(), 1);
    waitForResults();
    QVERIFY(QFile::copy(test::sourcePath("demo/tern-cove/kit/boulder-a.glb"), file("gone.glb")));
    QTest::mouseClick(again, Qt::LeftButton);
    waitForResults();
    QCOMPARE(report("Mesh").state, NodeState::Done);
    QVERIFY(!again->isVisible());
  }

  // A texture of elsewhere is asked about once: its folder is remembered with the plan, under another name too, and no
  // other plan gets it.
  void foldersAreAllowedForOnePlan() {
    QVERIFY(QDir().mkpath(file("allow/plans")) && QDir().mkpath(file("allow/mesh")) &&
            QDir().mkpath(file("allow/far")));
    QVERIFY(QImage(4, 4, QImage::Format_RGB32).save(file("allow/far/skin.png")));
    QVERIFY(writeWhole(file("allow/mesh/a.mtl").toStdString(), "newmtl skin\nmap_Kd ../far/skin.png\n"));
    QVERIFY(
        writeWhole(file("allow/mesh/a.obj").toStdString(),
                   "mtllib a.mtl\nusemtl skin\nv 0 0 0\nv 2 0 0\nv 0 0 1\nvt 0 0\nvt 1 0\nvt 0 1\nf 1/1 2/2 3/3\n"));
    Plan made;
    Node mesh;
    mesh.uid = "mesh";
    mesh.kind = "mesh-file";
    mesh.title = "Mesh";
    mesh.params["file"] = std::string("../mesh/a.obj");
    made.nodes.push_back(mesh);
    for (const char* name : {"allow/plans/a.arvesk", "allow/plans/b.arvesk"})
      QVERIFY(savePlan(made, file(name).toStdString()));
    const auto refused = [&] {
      waitForResults();
      return w().service().latest()->unread.size();
    };
    QVERIFY(w().openFile(file("allow/plans/a.arvesk")));
    QCOMPARE(refused(), std::size_t{1});
    auto* window = w().findChild<QDialog*>(QStringLiteral("missing_window"));
    QTRY_VERIFY(window && window->isVisible());
    QTest::mouseClick(window->findChild<QPushButton*>(QStringLiteral("missing_allow")), Qt::LeftButton);
    QCOMPARE(refused(), std::size_t{0});
    QVERIFY(report("Mesh").problems.empty());
    QVERIFY(w().saveTo(file("allow/plans/c.arvesk")));
    QCOMPARE(refused(), std::size_t{0});
    QVERIFY(w().openFile(file("allow/plans/b.arvesk")));
    QCOMPARE(refused(), std::size_t{1});
    QVERIFY(w().openFile(file("allow/plans/a.arvesk")));
    QCOMPARE(refused(), std::size_t{0});
  }

  void removingSaysWhoUsedIt() {
    QVERIFY(w().openFile(copyOfExample("removed.arvesk")));
    waitForResults();
    w().model().removeNodes({quid("Stone kinds")});
    QVERIFY2(message().contains(QStringLiteral("Stone props")), qPrintable(message()));
    trigger("edit_undo");
    waitForResults();
    w().showKit(true);
    auto* list = w().findChild<QListWidget*>(QStringLiteral("kit_list"));
    QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, list->visualItemRect(list->item(0)).center());
    QTest::mouseClick(w().findChild<QToolButton*>(QStringLiteral("remove_props")), Qt::LeftButton);
    QCOMPARE(document().props.size(), std::size_t{5});
    QVERIFY2(message().contains(QStringLiteral("Stone kinds")), qPrintable(message()));
    QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, list->visualItemRect(list->item(0)).center());
    QTest::keyClick(list, Qt::Key_Delete);
    QCOMPARE(document().props.size(), std::size_t{4});
    w().model().undoStack().setClean();
  }

  // A plan that writes over the file of another one asks first; over its own it does not.
  void exportsOfTwoPlansDoNotMeet() {
    const QString target = file("stones.csv");
    QFile::remove(target);
    QString offered;
    QString said;
    const auto exportNow = [&](const QString& to, const std::function<void()>& answer = {}) {
      waitForResults();
      w().openExport();
      auto* window = w().findChild<QDialog*>(QStringLiteral("export_window"));
      auto* path = window->findChild<QLineEdit*>(QStringLiteral("export_path"));
      offered = path->text();
      if (!to.isEmpty()) path->setText(to);
      if (answer) answer();
      QVERIFY(QTest::qWaitForWindowExposed(window));
      QTest::mouseClick(window->findChild<QPushButton*>(QStringLiteral("export_start")), Qt::LeftButton);
      QTRY_VERIFY_WITH_TIMEOUT(!qobject_cast<ExportWindow*>(window)->isBusy(), 60'000);
      QTest::qWait(10);
      said = window->findChild<QLabel*>(QStringLiteral("export_message"))->text();
      window->close();
      QCoreApplication::sendPostedEvents(window, QEvent::DeferredDelete);
    };
    QVERIFY(w().openFile(copyOfExample("plan-a.arvesk")));
    exportNow(target);
    QVERIFY2(QFile::exists(target), qPrintable(said));
    const std::string first = contentOf(target);
    QVERIFY(w().openFile(copyOfExample("plan-b.arvesk")));
    w().model().edit(QStringLiteral("Seed"), [](Plan& p) { ++p.settings.seed; });
    exportNow({});
    QVERIFY(offered != target);  // the path of plan A is not offered
    exportNow(target, [] { answerNextBox(QStringLiteral("Cancel"), QStringLiteral("not written by this plan")); });
    QCOMPARE(contentOf(target), first);
    exportNow(target, [] { answerNextBox(QStringLiteral("Replace it")); });
    QVERIFY(contentOf(target) != first);
    exportNow(target);  // its own by now
    QVERIFY(w().saveTo(w().file()));
    QVERIFY(w().openFile(file("plan-a.arvesk")));
    exportNow(target, [] { answerNextBox(QStringLiteral("Replace it"), QStringLiteral("changed since")); });
    QCOMPARE(offered, target);
  }

  // Keys for undo reach the plan from every field once its text was entered, and from other windows; text that is being
  // typed has its own undo.
  void undoKeysWorkInFieldsAndWindows() {
    QVERIFY(w().openFile(copyOfExample("undone.arvesk")));
    plan().select({QStringLiteral("slope")});
    NumberField* field = nullptr;
    for (auto* f : w().bench().findChildren<NumberField*>())
      if (f->isVisible() && f->objectName() != QStringLiteral("seed") && !field) field = f;
    QVERIFY(field);
    const QString before = field->text();
    const Plan planBefore = document();
    const QString typed = QString::number(field->value() / 2 + 1);
    type(field, typed);
    QVERIFY(document() != planBefore);
    QTest::keyClick(field, Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(document() == planBefore);
    QCOMPARE(field->text(), before);
    QVERIFY2(message().startsWith(QStringLiteral("undone: ")), qPrintable(message()));
    QTest::keyClick(field, Qt::Key_Y, Qt::ControlModifier);
    QVERIFY(document() != planBefore);
    QVERIFY(message().startsWith(QStringLiteral("done again: ")));
    const Plan planAfter = document();
    // Refused text is put back, whatever stands in the history.
    type(field, QStringLiteral("2 +"));
    QVERIFY(document() == planAfter);
    QTest::keyClick(field, Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(document() == planAfter);
    QVERIFY(!field->text().contains(QStringLiteral("2 +")));
    QTest::keyClick(field, Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(document() == planBefore);
    // From another window.
    trigger("edit_redo");
    w().openExport();
    auto* window = w().findChild<QDialog*>(QStringLiteral("export_window"));
    auto* path = window->findChild<QLineEdit*>(QStringLiteral("export_path"));
    path->setFocus();
    QTest::keyClick(path, Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(document() == planBefore);
    window->close();
    // Where keys are given to commands they are only named.
    trigger("edit_redo");
    trigger("help_keys");
    auto* keys = w().findChild<QKeySequenceEdit*>();
    QTRY_VERIFY(keys && keys->isVisible());
    QTest::keyClick(keys->findChild<QLineEdit*>(), Qt::Key_Z, Qt::ControlModifier);
    QVERIFY(document() == planAfter);
    keys->window()->close();
  }

  void undoComesBackToWhereItWas() {
    QVERIFY(w().openFile(copyOfExample("places.arvesk")));
    plan().select({QStringLiteral("slope")});
    w().model().rename(QStringLiteral("slope"), QStringLiteral("Renamed"));
    plan().select({QString::fromStdString(document().nodes.back().uid)});
    trigger("edit_undo");
    QCOMPARE(plan().selection(), QStringList{QStringLiteral("slope")});
    plan().select({});
    trigger("edit_redo");
    QCOMPARE(plan().selection(), QStringList{QString::fromStdString(document().nodes.back().uid)});
    plan().select({QStringLiteral("slope")});
    plan().removeSelected();
    QVERIFY(plan().selection().isEmpty());
    trigger("edit_undo");
    QCOMPARE(plan().selection(), QStringList{QStringLiteral("slope")});
    QVERIFY(plan().viewport()->rect().contains(plan().centerOf(QStringLiteral("slope"))) ||
            plan().centerOf(QStringLiteral("slope")) == QPoint(-1, -1));
  }

  /// Values that are kept come back on another node of the kind, in another window and plan; new ones begin with what
  /// was chosen for them, and as the program does again when that is forgotten.
  void valuesAreKeptForLater() {
    QVERIFY(w().openFile(test::sourcePath("demo/examples/one-slope.arvesk")));
    waitForResults();
    const auto choices = [&] {
      auto* button = w().bench().findChild<QToolButton*>(QStringLiteral("values"));
      Q_EMIT button->menu()->aboutToShow();
      return button->menu()->actions();
    };
    const auto choose = [&](const QString& words) {
      for (QAction* a : choices())
        if (a->text() == words) return a->trigger();
      QFAIL(qPrintable(words));
    };
    const auto isOffered = [&](const QString& words) {
      const QList<QAction*> all = choices();
      return std::any_of(all.begin(), all.end(), [&](const QAction* a) { return a->text() == words; });
    };
    const QString slope = quid("Level places");
    const ParamMap wanted = document().find(slope.toStdString())->params;
    QVERIFY(!wanted.empty());
    plan().select({slope});
    const QString name = QStringLiteral("Paths / 100 %");
    QTimer::singleShot(50, this, [&] {
      auto* dialog = qobject_cast<QInputDialog*>(QApplication::activeModalWidget());
      QVERIFY(dialog);
      dialog->setTextValue(name);
      dialog->accept();
    });
    choose(QStringLiteral("Keep under a name…"));
    choose(QStringLiteral("Begin new “Keep by slope” with these"));
    m_window.reset();
    openWindow();
    const QString other = plan().addAt(*findNodeKind("keep-by-slope"), {0, 0});
    const auto valuesNow = [&] { return document().find(other.toStdString())->params; };
    QCOMPARE(valuesNow(), wanted);
    plan().select({other});
    w().model().setParam(other, "slope", std::vector<double>{0, 0, 1, 2});
    QVERIFY(isOffered(name));
    choose(name);
    QCOMPARE(valuesNow(), wanted);
    trigger("edit_undo");
    QVERIFY(valuesNow() != wanted);
    choose(QStringLiteral("Restore defaults"));
    QVERIFY(valuesNow().empty());
    choose(QStringLiteral("Begin new “Keep by slope” as the program does"));
    const QString plain = plan().addAt(*findNodeKind("keep-by-slope"), {0, 300});
    QVERIFY(document().find(plain.toStdString())->params.empty());
    // What follows a dial is kept at the dial's value; what belongs to one plan, such as files, is neither kept nor
    // lost.
    const QString ground = plan().addAt(*findNodeKind("terrain"), {600, 0});
    w().model().setParam(ground, "file", std::string("hills.png"));
    w().model().edit(QStringLiteral("Dial"), [&](Plan& p) {
      Dial wide;
      wide.uid = wide.name = "wide";
      wide.draft = wide.final = 77;
      p.dials.push_back(wide);
    });
    w().model().follow({ground}, "width", QStringLiteral("wide"));
    plan().select({ground});
    choose(QStringLiteral("Begin new “Terrain” with these"));
    const QString second = plan().addAt(*findNodeKind("terrain"), {900, 0});
    const auto paramsOf = [&](const QString& uid) { return document().find(uid.toStdString())->params; };
    QCOMPARE(std::get<double>(paramsOf(second).at("width")), 77.0);
    QVERIFY(!paramsOf(second).contains("file"));
    plan().select({ground});
    choose(QStringLiteral("Restore defaults"));
    QCOMPARE(paramsOf(ground), (ParamMap{{"file", std::string("hills.png")}}));
    choose(QStringLiteral("Begin new “Terrain” as the program does"));
    // Values that cannot be read are told of.
    plan().select({other});
    QSettings().setValue(QStringLiteral("values/keep-by-slope/named-broken"), QStringLiteral("{"));
    QString said;
    connect(&w().model(), &PlanModel::told, this, [&](const QString& words) { said = words; });
    choose(QStringLiteral("broken"));
    QVERIFY2(said.contains(QStringLiteral("broken")), qPrintable(said));
    // Of no other kind.
    plan().select({plan().addAt(*findNodeKind("vary"), {300, 0})});
    QVERIFY(!isOffered(name));
    w().model().undoStack().setClean();
  }
};

int main(int argc, char** argv) {
  QApplication app(argc, argv);
  TestDocument test;
  return QTest::qExec(&test, argc, argv);
}
#include "tst_document.moc"
