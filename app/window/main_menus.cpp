// The window's menus: every command with its words, its keys and where they act.
#include "app/window/main_window.h"

#include "app/model/words.h"
#include "app/window/camera_window.h"
#include "app/window/key_window.h"
#include "app/window/picture_window.h"
#include "app/window/settings.h"
#include "core/deliver/delivery.h"
#include "core/formats/sandbox.h"

#include <QApplication>
#include <QButtonGroup>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QMenuBar>
#include <QMessageBox>
#include <QPushButton>
#include <QUndoView>

namespace arvesk {

QAction* MainWindow::add(QMenu* menu, const QString& words, const Keys& keys, const char* name,
                         std::function<void()> what) {
  return m_commands.add(menu, words, keys, name, nullptr, std::move(what));
}

QAction* MainWindow::inPlan(QMenu* menu, const QString& words, const Keys& keys, const char* name,
                            std::function<void()> what) {
  return m_commands.add(menu, words, keys, name, m_plan, std::move(what));
}

QAction* MainWindow::inSite(QMenu* menu, const QString& words, const Keys& keys, const char* name,
                            std::function<void()> what) {
  return m_commands.add(menu, words, keys, name, m_site, std::move(what));
}

void MainWindow::buildMenus() {
  buildFileMenus();
  buildPlanMenu();
  buildSiteMenu();
  buildViewMenus();
  buildQuality();
}

void MainWindow::buildFileMenus() {
  QMenu* file = menuBar()->addMenu(tr("&File"));
  add(file, tr("New plan"), {Qt::CTRL | Qt::Key_N}, "file_new", [this] { newPlan(); });
  add(file, tr("New window"), {Qt::CTRL | Qt::SHIFT | Qt::Key_N}, "file_new_window", [this] { newWindow(); });
  add(file, tr("Open…"), {Qt::CTRL | Qt::Key_O}, "file_open", [this] { open(); });
  m_recent = file->addMenu(tr("Open recent"));
  connect(m_recent, &QMenu::aboutToShow, this, &MainWindow::fillRecent);
  file->addSeparator();
  add(file, tr("Save"), {Qt::CTRL | Qt::Key_S}, "file_save", [this] { save(); });
  add(file, tr("Save as…"), {Qt::CTRL | Qt::SHIFT | Qt::Key_S}, "file_save_as", [this] { saveAs(); });
  add(file, tr("Missing files…"), {}, "file_missing", [this] { openMissing(); });
  add(file, tr("Export…"), {Qt::CTRL | Qt::Key_E}, "file_export", [this] { openExport(); });
  add(file, tr("Tiles…"), {}, "file_tiles", [this] { openTiles(); });
  file->addSeparator();
  add(file, tr("Quit"), {Qt::CTRL | Qt::Key_Q}, "file_quit", [this] { close(); });

  QMenu* edit = menuBar()->addMenu(tr("&Edit"));
  m_undoAction = add(edit, tr("Undo"), {Qt::CTRL | Qt::Key_Z}, "edit_undo", [this] { m_model.undo(); });
  m_redoAction = add(edit, tr("Redo"), {Qt::CTRL | Qt::SHIFT | Qt::Key_Z, Qt::CTRL | Qt::Key_Y}, "edit_redo",
                     [this] { m_model.redo(); });
  add(edit, tr("History…"), {}, "edit_history", [this] { openHistory(); });
  const auto showHistory = [this] {
    const QUndoStack& history = m_model.undoStack();
    m_undoAction->setText(history.canUndo() ? tr("Undo “%1”").arg(history.undoText()) : tr("Undo"));
    m_redoAction->setText(history.canRedo() ? tr("Redo “%1”").arg(history.redoText()) : tr("Redo"));
    m_undoAction->setEnabled(history.canUndo());
    m_redoAction->setEnabled(history.canRedo());
  };
  connect(&m_model.undoStack(), &QUndoStack::indexChanged, this, showHistory);
  showHistory();
  edit->addSeparator();
  add(edit, tr("Copy"), {Qt::CTRL | Qt::Key_C}, "edit_copy",
      [this] { isInLedger() ? m_ledger->copyRows() : m_plan->copySelected(); });
  add(edit, tr("Paste"), {Qt::CTRL | Qt::Key_V}, "edit_paste", [this] { m_plan->pasteClipboard(); });
  add(edit, tr("Duplicate"), {Qt::CTRL | Qt::Key_D}, "edit_duplicate", [this] { m_plan->duplicateSelected(); });
  add(edit, tr("Select all"), {Qt::CTRL | Qt::Key_A}, "edit_select_all",
      [this] { isInLedger() ? m_ledger->selectAll() : m_plan->selectAll(); });
}

/// Single letters act only while Plan or Site has the focus, so that they can be typed everywhere else.
void MainWindow::buildPlanMenu() {
  QMenu* plan = menuBar()->addMenu(tr("&Plan"));
  inPlan(plan, tr("Add a node…"), {Qt::Key_Enter, Qt::Key_Return}, "plan_add", [this] {
    showKit(false);
    m_plan->setFocus();
    m_plan->openFindField();
  });
  add(plan, tr("Find in plan…"), {Qt::CTRL | Qt::Key_F}, "plan_find", [this] {
    showKit(false);
    m_plan->findInPlan();
  });
  plan->addSeparator();
  inPlan(plan, tr("Connect…"), {Qt::Key_C}, "plan_connect", [this] { m_plan->connectSelected(); });
  inPlan(plan, tr("Go to what feeds it"), {Qt::ALT | Qt::Key_Up}, "plan_up", [this] { m_plan->goAlong(false); });
  inPlan(plan, tr("Go to what takes it"), {Qt::ALT | Qt::Key_Down}, "plan_down", [this] { m_plan->goAlong(true); });
  inPlan(plan, tr("Skip"), {Qt::Key_K}, "plan_skip", [this] { m_plan->skipSelected(); });
  inPlan(plan, tr("Rename"), {Qt::Key_F2}, "plan_rename", [this] { m_plan->renameSelected(); });
  inPlan(plan, tr("Lift out"), {Qt::Key_L}, "plan_lift", [this] { m_plan->liftSelected(); });
  inPlan(plan, tr("Tidy"), {Qt::Key_T}, "plan_tidy", [this] { m_plan->tidy(); });
  inPlan(plan, tr("Delete"), {Qt::Key_Delete, Qt::Key_Backspace}, "plan_delete", [this] { m_plan->removeSelected(); });
  inPlan(plan, tr("Fold or unfold chain"), {Qt::Key_U}, "plan_fold", [this] { m_plan->foldSelected(); });
  inPlan(plan, tr("Make sub-plan"), {Qt::Key_M}, "plan_make_sub_plan", [this] { m_plan->makeSubPlan(); });
  inPlan(plan, tr("Take apart"), {Qt::SHIFT | Qt::Key_M}, "plan_take_apart", [this] { m_plan->takeApart(); });
  inPlan(plan, tr("Go inside"), {Qt::ALT | Qt::Key_Right}, "plan_go_inside", [this] { m_plan->goInside(); });
  inPlan(plan, tr("Go back out"), {Qt::ALT | Qt::Key_Left}, "plan_go_outside", [this] { m_plan->goOutside(); });
  QMenu* folders = plan->addMenu(tr("Library folders"));
  folders->setObjectName(QStringLiteral("plan_library_folders"));
  QAction* another = add(folders, tr("Add a folder…"), {}, "plan_library_folder", [this] { addLibraryFolder(); });
  connect(folders, &QMenu::aboutToShow, this, [this, folders, another] { listLibraryFolders(*folders, *another); });
  m_later = plan->addMenu(tr("Later versions"));
  m_later->setObjectName(QStringLiteral("plan_later"));
  m_later->setEnabled(false);
  inPlan(plan, tr("Bed around the selection"), {Qt::Key_B}, "plan_bed", [this] {
    showKit(false);
    m_plan->addBed();
  });
  inPlan(plan, tr("Note"), {Qt::Key_N}, "plan_note", [this] {
    showKit(false);
    m_plan->addNote();
  });
  inPlan(plan, tr("Fit plan"), {Qt::Key_Home}, "plan_fit", [this] { m_plan->fitAll(); });
  plan->addSeparator();
  add(plan, tr("Next seed"), {Qt::CTRL | Qt::Key_R}, "plan_next_seed", [this] { nextSeed(); });
  add(plan, tr("Contact sheet…"), {Qt::SHIFT | Qt::Key_S}, "plan_contact_sheet", [this] { openContactSheet(); });
}

void MainWindow::buildSiteMenu() {
  QMenu* site = menuBar()->addMenu(tr("&Site"));
  add(site, tr("Dressed"), {}, "site_dressed", [this] { m_site->setMode(SiteMode::Dressed); });
  add(site, tr("Massing"), {}, "site_massing", [this] { m_site->setMode(SiteMode::Massing); });
  add(site, tr("Points"), {}, "site_points", [this] { m_site->setMode(SiteMode::Points); });
  add(site, tr("Count map"), {}, "site_cover", [this] { m_site->setMode(SiteMode::Cover); });
  add(site, tr("Mask"), {}, "site_mask", [this] { m_site->setMode(SiteMode::Mask); });
  site->addSeparator();
  inSite(site, tr("Why here…"), {Qt::Key_Y}, "site_why",
         [this] { m_site->isAsking() ? m_site->stopAsking() : m_site->startAsking(); });
  inSite(site, tr("Brush"), {Qt::Key_B}, "site_brush", [this] { takeBrush("add"); });
  inSite(site, tr("Place one by one"), {Qt::Key_P}, "site_single", [this] { takeBrush("single"); });
  inSite(site, tr("Remove selected"), {Qt::Key_Delete, Qt::Key_Backspace}, "site_remove",
         [this] { m_site->touching()->remove(); });
  inSite(site, tr("Keep selected"), {}, "site_keep", [this] { m_site->touching()->keep(true); });
  add(site, tr("Take touch-ups back"), {}, "site_take_back", [this] { m_site->touching()->undoTouches(); });
  QAction* ticks = add(site, tr("Ticks on what is touched"), {}, "site_ticks",
                       [this] { m_site->setTicksShown(!m_site->areTicksShown()); });
  ticks->setCheckable(true);
  connect(site, &QMenu::aboutToShow, this, [this, ticks] { ticks->setChecked(m_site->areTicksShown()); });
  add(site, tr("Take over by hand"), {}, "site_take_over", [this] { takeOver(); });
  add(site, tr("Give back to their rules"), {}, "site_give_back", [this] { giveBackToRules(); });
  add(site, tr("Select what overlaps"), {}, "site_overlaps", [this] { selectOverlaps(); });
  inSite(site, tr("Cut open"), {Qt::Key_O}, "site_cut", [this] { m_site->toggleCut(); });
  inSite(site, tr("Compare with this state"), {Qt::Key_C}, "site_compare", [this] { m_site->toggleCompare(); });
  site->addSeparator();
  add(site, tr("Select the same prop"), {}, "site_same_prop", [this] { m_site->selectSame(SameAs::Prop); });
  add(site, tr("Select the same node"), {}, "site_same_node", [this] { m_site->selectSame(SameAs::Node); });
  add(site, tr("Select the same clump"), {}, "site_same_clump", [this] { m_site->selectSame(SameAs::Clump); });
  QAction* owner = add(site, tr("Select all of what it was broken off"), {}, "site_same_owner",
                       [this] { m_site->selectSame(SameAs::Owner); });
  QAction* cuts = add(site, tr("Show broken faces in red"), {}, "site_cut_faces",
                      [this] { m_site->setCutsShown(!m_site->areCutsShown()); });
  cuts->setCheckable(true);
  connect(site, &QMenu::aboutToShow, this, [this, cuts, owner] {
    owner->setEnabled(m_site->hasPieces());
    cuts->setEnabled(m_site->hasPieces() || m_site->areCutsShown());
    cuts->setChecked(m_site->areCutsShown());
  });
  connect(site, &QMenu::aboutToHide, this, [cuts, owner] {  // keys and the find field ask Site
    owner->setEnabled(true);
    cuts->setEnabled(true);
  });
  QAction* time = add(site, tr("Time line"), {}, "site_time", [this] {
    m_model.setTime(m_model.document().settings.time ? std::nullopt : std::optional(PlanTime()));
  });
  time->setCheckable(true);
  connect(site, &QMenu::aboutToShow, this,
          [this, time] { time->setChecked(m_model.document().settings.time.has_value()); });
  inSite(site, tr("Hide selected"), {Qt::Key_Minus}, "site_hide", [this] { m_site->hideSelected(false); });
  inSite(site, tr("Show only selected"), {Qt::Key_Plus}, "site_only", [this] { m_site->hideSelected(true); });
  inSite(site, tr("Unhide all"), {Qt::Key_0}, "site_show", [this] { m_site->showHidden(); });
  QAction* lasso = add(site, tr("Select by outline"), {}, "site_lasso",
                       [this] { m_site->setLasso(!m_site->isLasso()); });
  lasso->setCheckable(true);
  connect(site, &QMenu::aboutToShow, this, [this, lasso] { lasso->setChecked(m_site->isLasso()); });
  site->addSeparator();
  inPlan(site, tr("Selected node in Site"), {Qt::Key_I}, "site_in_site", [this] {
    const QStringList selection = m_plan->selection();
    if (selection.size() == 1) setInSite(selection.first() == m_inSite ? QString() : selection.first());
  });
  add(site, tr("Back to outputs"), {}, "site_all", [this] { setInSite({}); });
  inSite(site, tr("Fit scene"), {Qt::Key_Home}, "site_fit", [this] { m_site->fitAll(); });
  inSite(site, tr("Fit clicked place"), {Qt::Key_F}, "site_fit_place", [this] { m_site->fitPlace(); });
  inSite(site, tr("Walk"), {Qt::Key_W}, "site_walk", [this] { m_site->toggleWalk(); });
  add(site, tr("Cameras…"), {}, "site_cameras", [this] { openCameras(); });
  add(site, tr("Save picture…"), {}, "site_save_picture", [this] { openPicture(); });
  QMenu* cameras = site->addMenu(tr("Go to camera"));
  std::vector<QAction*> saved;
  for (int i = 0; i < 9; ++i)
    saved.push_back(inSite(cameras, tr("Camera %1").arg(i + 1), {QKeySequence(Qt::Key_1 + i)},
                           qPrintable(QStringLiteral("site_camera_%1").arg(i + 1)), [this, i] { goToCamera(i); }));
  connect(cameras, &QMenu::aboutToShow, this, [this, saved] {
    const auto& entries = m_model.plan().settings.cameras;
    for (std::size_t i = 0; i < saved.size(); ++i) {
      saved[i]->setEnabled(i < entries.size());
      saved[i]->setText(i < entries.size() ? QString::fromStdString(entries[i].name) : tr("Camera %1").arg(i + 1));
    }
  });
  connect(cameras, &QMenu::aboutToHide, this, [saved] {
    for (QAction* action : saved) action->setEnabled(true);  // keys ask the plan
  });
  const auto keep = [this](bool isWithLight) {
    const Camera& c = m_site->camera();
    const PlanSettings& settings = m_model.plan().settings;
    std::optional<CameraEntry::Sun> sun;
    if (isWithLight)
      sun = c.sun ? CameraEntry::Sun{static_cast<double>(c.sun->headingDeg), static_cast<double>(c.sun->heightDeg)}
                  : CameraEntry::Sun{settings.sunHeadingDeg, settings.sunHeightDeg};
    const auto isTaken = [&](const QString& name) {
      return std::any_of(settings.cameras.begin(), settings.cameras.end(),
                         [&](const CameraEntry& e) { return QString::fromStdString(e.name) == name; });
    };
    std::size_t number = settings.cameras.size() + 1;
    while (isTaken(tr("Camera %1").arg(number))) ++number;
    const QString name = tr("Camera %1").arg(number);
    m_model.edit(tr("Keep camera"),
                 [&](Plan& p) { p.settings.cameras.push_back(entryOf(c, name.toStdString(), sun)); });
    const std::size_t at = m_model.plan().settings.cameras.size();
    say(at <= 9 ? tr("kept as %1; key %2 in Site goes there").arg(name).arg(at) : tr("kept as %1").arg(name));
  };
  add(site, tr("Keep this camera"), {}, "site_keep_camera", [keep] { keep(false); });
  add(site, tr("Keep this camera with its light"), {}, "site_keep_lit_camera", [keep] { keep(true); });
}

void MainWindow::openCameras() {
  auto* window = new CameraWindow(
      &m_model, &m_service, [this] { return m_site->camera(); }, this);
  connect(window, &CameraWindow::cameraWanted, this, &MainWindow::goToCamera);
  window->show();
}

/// As the plan has them now, worked out or not.
void MainWindow::goToCamera(int index) {
  const auto& cameras = m_model.plan().settings.cameras;
  if (index >= 0 && index < static_cast<int>(cameras.size()))
    m_site->setCamera(cameraFrom(cameras[static_cast<std::size_t>(index)]));
}

/// Every step with its name; a click goes back to it, or on.
void MainWindow::openHistory() {
  auto* window = new QDialog(this);
  window->setObjectName(QStringLiteral("history_window"));
  window->setWindowTitle(tr("History"));
  window->setAttribute(Qt::WA_DeleteOnClose);
  window->resize(320, 420);
  auto* steps = new QUndoView(&m_model.undoStack(), window);
  steps->setObjectName(QStringLiteral("history"));
  steps->setAccessibleName(tr("Steps"));
  steps->setEmptyLabel(m_file.isEmpty() ? tr("A new plan") : tr("As it was opened"));
  auto* column = new QVBoxLayout(window);
  column->addWidget(steps);
  window->show();
}

void MainWindow::openPicture() {
  const RenderRequest shown = m_site->shownNow();
  if (!shown.view || !shown.view->scene) return say(tr("! there is nothing to picture yet"));
  auto* window = new PictureWindow(shown, folder(),
                                   m_file.isEmpty() ? tr("picture") : QFileInfo(m_file).completeBaseName(), this);
  window->offerFrames([request = requestFor(m_model.snapshot()), files = m_service.files(),
                       last = std::make_shared<PictureScenePtr>()](int frame, const Task& task) {
    EvaluationService::Request then = request;
    Plan plan = *request.plan;
    plan.frame = frame;
    then.plan = std::make_shared<const Plan>(std::move(plan));
    return EvaluationService::viewOf(then, files, *last, task);
  });
  connect(window, &PictureWindow::saved, this, [this](const QStringList& files) {
    say(files.size() == 1 ? tr("saved %1").arg(files.first()) : tr("saved %1 pictures").arg(files.size()));
  });
  window->show();
}

void MainWindow::buildViewMenus() {
  QMenu* kit = menuBar()->addMenu(tr("&Kit"));
  add(kit, tr("Add props…"), {}, "kit_add", [this] {
    showKit(true);
    m_kit->addFiles();
  });
  add(kit, tr("Add a folder of props…"), {}, "kit_add_folder", [this] {
    showKit(true);
    m_kit->addFolder();
  });
  add(kit, tr("Remove selected props"), {}, "kit_remove", [this] { m_kit->removeSelected(); });

  QMenu* view = menuBar()->addMenu(tr("&View"));
  std::vector<std::pair<QString, QAction*>> themes;
  const auto addTheme = [&](const QString& words, const char* name, const QString& choice) {
    themes.push_back({choice, add(view, words, {}, name, [this, choice] { setTheme(choice); })});
    themes.back().second->setCheckable(true);
  };
  addTheme(tr("Paper"), "view_paper", QStringLiteral("paper"));
  addTheme(tr("Night"), "view_night", QStringLiteral("night"));
  addTheme(tr("Follow desktop"), "view_desktop", QStringLiteral("desktop"));
  view->addSeparator();
  QMenu* language = view->addMenu(tr("Language"));
  std::vector<std::pair<QString, QAction*>> tongues;
  const auto addLanguage = [&](const QString& words, const QString& code) {
    QAction* action = language->addAction(words, this, [this, words, code] {
      Settings().setLanguage(code);
      say(tr("from the next start on: %1").arg(words));
    });
    action->setObjectName(QStringLiteral("language_%1").arg(code));
    action->setCheckable(true);
    tongues.push_back({code, action});
  };
  for (const Language& l : languages()) addLanguage(l.name, l.code);  // each in itself: found by those who speak it
  addLanguage(tr("Follow desktop"), QStringLiteral("desktop"));
  view->addSeparator();
  add(view, tr("Swap the room of Plan and Site"), {Qt::Key_F6}, "view_swap", [this] {
    m_panes.arrange(m_panes.now() == Arrangement::PlanLarge ? Arrangement::SiteLarge : Arrangement::PlanLarge);
  });
  const std::vector<std::pair<Arrangement, QAction*>> arrangements{
      {Arrangement::SiteLarge,
       add(view, tr("Site large"), {}, "view_site_large", [this] { m_panes.arrange(Arrangement::SiteLarge); })},
      {Arrangement::PlanLarge,
       add(view, tr("Plan large"), {}, "view_plan_large", [this] { m_panes.arrange(Arrangement::PlanLarge); })},
      {Arrangement::SideBySide, add(view, tr("Three side by side"), {}, "view_side_by_side",
                                    [this] { m_panes.arrange(Arrangement::SideBySide); })}};
  for (const auto& [which, action] : arrangements) action->setCheckable(true);
  connect(view, &QMenu::aboutToShow, this, [this, arrangements, themes, tongues] {
    for (const auto& [choice, action] : themes) action->setChecked(choice == Settings().theme());
    for (const auto& [choice, action] : tongues) action->setChecked(choice == Settings().language());
    for (const auto& [which, action] : arrangements) action->setChecked(which == m_panes.now());
  });
  view->addSeparator();
  add(view, tr("Bench"), {}, "view_bench", [this] { showBottom(Bottom::Bench); });
  add(view, tr("Ledger"), {}, "view_ledger", [this] { showBottom(Bottom::Ledger); });
  add(view, tr("Schedule"), {}, "view_schedule", [this] { showBottom(Bottom::Schedule); });

  QMenu* help = menuBar()->addMenu(tr("&Help"));
  add(help, tr("Manual page of the node"), {Qt::Key_F1}, "help_manual", [this] { openManual(); });
  add(help, tr("Keys and mouse…"), {}, "help_keys", [this] { (new KeyWindow(m_commands, this))->show(); });
  add(help, tr("About Arvesk"), {}, "help_about", [this] {
    QMessageBox::about(this, tr("About Arvesk"),
                       tr("<b>Arvesk %1</b><br>Places plants, rocks and props on ground by a plan you can "
                          "read.<br>Readers of files are shut in by: %2.<br>Licensed under Apache 2.0. The font is "
                          "Inter, under the SIL Open Font License.")
                           .arg(QApplication::applicationVersion(), QString::fromStdString(sandboxName())));
  });
}

/// Draft and Final, at the right end of the menus.
void MainWindow::buildQuality() {
  auto* corner = new QWidget;
  auto* row = new QHBoxLayout(corner);
  row->setContentsMargins(0, 2, 16, 2);
  row->setSpacing(0);
  m_draft = new QPushButton(tr("Draft"));
  m_final = new QPushButton(tr("Final"));
  auto* group = new QButtonGroup(corner);
  for (QPushButton* b : {m_draft, m_final}) {
    b->setObjectName(QStringLiteral("quality"));
    b->setCheckable(true);
    group->addButton(b);
    row->addWidget(b);
  }
  m_draft->setAccessibleName(tr("Draft quality"));
  m_final->setAccessibleName(tr("Final quality"));
  m_draft->setToolTip(tr("A fixed share of the points, always the same ones"));
  m_final->setToolTip(tr("All points, as exported"));
  m_draft->setChecked(true);
  connect(m_draft, &QPushButton::clicked, this, [this] { setQuality(Quality::Draft); });
  connect(m_final, &QPushButton::clicked, this, [this] { setQuality(Quality::Final); });
  menuBar()->setCornerWidget(corner);
}

}  // namespace arvesk
