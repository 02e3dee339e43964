#include "app/window/main_window.h"

#include "app/schedule/budget_bar.h"
#include "app/window/contact_sheet.h"
#include "app/window/export_window.h"
#include "app/window/key_window.h"
#include "app/window/settings.h"
#include "app/window/theme.h"
#include "core/formats/plan_file.h"

#include <QApplication>
#include <QButtonGroup>
#include <QCloseEvent>
#include <QDir>
#include <QDockWidget>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QLabel>
#include <QLocale>
#include <QMenuBar>
#include <QMessageBox>
#include <QMimeData>
#include <QProgressBar>
#include <QPushButton>
#include <QStackedWidget>
#include <QStatusBar>
#include <QToolButton>

namespace arvesk {
namespace {

QString text(const std::string& s) { return QString::fromStdString(s); }

/// The head of a panel: tabs or a title at the left, a quiet word at the right. Dragging it moves the dock.
QWidget* makeHead(const std::vector<QToolButton*>& tabs, QLabel* hint) {
  auto* head = new QWidget;
  head->setProperty("role", QStringLiteral("head"));
  head->setAttribute(Qt::WA_StyledBackground);
  auto* row = new QHBoxLayout(head);
  row->setContentsMargins(8, 0, 12, 0);
  row->setSpacing(4);
  for (QToolButton* tab : tabs) row->addWidget(tab);
  row->addStretch(1);
  hint->setProperty("role", QStringLiteral("quiet"));
  row->addWidget(hint);
  return head;
}

QToolButton* makeTab(const QString& words, const char* name, bool isOn) {
  auto* tab = new QToolButton;
  tab->setText(words);
  tab->setObjectName(QLatin1String(name));
  tab->setProperty("role", QStringLiteral("tab"));
  tab->setCheckable(true);
  tab->setAutoExclusive(false);
  tab->setChecked(isOn);
  return tab;
}

bool isImageFile(const QString& path) {
  return QStringList{QStringLiteral("png"), QStringLiteral("tif"), QStringLiteral("tiff"),
                     QStringLiteral("exr"), QStringLiteral("jpg"), QStringLiteral("jpeg")}
      .contains(QFileInfo(path).suffix().toLower());
}

}  // namespace

MainWindow::MainWindow() : m_autosave(&m_model) {
  setObjectName(QStringLiteral("main_window"));
  setAcceptDrops(true);
  setDockNestingEnabled(true);
  m_site = new SiteView(this);
  setCentralWidget(m_site);
  buildLeft();
  buildBottom();
  buildMenus();
  buildStatus();
  setCorner(Qt::BottomLeftCorner, Qt::LeftDockWidgetArea);
  resize(1280, 800);
  resizeDocks({m_leftDock}, {452}, Qt::Horizontal);
  resizeDocks({m_bottomDock}, {262}, Qt::Vertical);

  connect(&m_model, &PlanModel::changed, this, [this] {
    updateTitle();
    if (!m_inSite.isEmpty() && !m_model.plan().find(m_inSite.toStdString()))
      setInSite({});
    else
      evaluate();
  });
  connect(&m_watch, &FileWatch::filesChanged, this, [this](const QStringList& paths) {
    m_message->setText(paths.size() == 1
                           ? tr("%1 has changed and is read again").arg(QFileInfo(paths.first()).fileName())
                           : tr("%1 files have changed and are read again").arg(paths.size()));
    evaluate();
  });
  connect(&m_model.undoStack(), &QUndoStack::cleanChanged, this, &MainWindow::updateTitle);
  connect(&m_service, &EvaluationService::finished, this, &MainWindow::showResults);
  connect(&m_service, &EvaluationService::started, this, [this] { m_progressDelay.start(); });
  connect(&m_service, &EvaluationService::progressed, this, [this](double share, const QString& title) {
    m_progress->setValue(static_cast<int>(share * 1000));
    m_progress->setToolTip(title);
    if (m_progress->isVisible()) m_message->setText(tr("working on %1").arg(title));
  });
  connect(&m_service, &EvaluationService::wasCancelled, this, [this] {
    if (m_service.isBusy()) return;
    m_progressDelay.stop();
    m_progress->hide();
    m_cancel->hide();
    m_message->clear();
  });
  connect(&m_service, &EvaluationService::failed, this, [this] {
    m_progressDelay.stop();
    m_progress->hide();
    m_cancel->hide();
  });
  connect(&WorkerFailures::all(), &WorkerFailures::happened, this,
          [this](const QString& line) { m_message->setText(QStringLiteral("! ") + line); });
  m_progressDelay.setSingleShot(true);
  m_progressDelay.setInterval(400);
  connect(&m_progressDelay, &QTimer::timeout, this, [this] {
    m_progress->show();
    m_cancel->show();
  });
  connect(m_plan, &PlanView::selectionChanged, this, &MainWindow::updateSelection);
  connect(m_plan, &PlanView::inSiteWanted, this, &MainWindow::setInSite);
  connect(m_site, &SiteView::showAllWanted, this, [this] { setInSite({}); });
  connect(m_site, &SiteView::modeChanged, this, [this] { evaluate(); });
  connect(m_site, &SiteView::picked, m_message, &QLabel::setText);
  connect(m_site, &SiteView::whyWanted, this, &MainWindow::answerWhy);
  connect(m_site, &SiteView::nodeWanted, this, [this](const QString& uid) {
    showKit(false);
    m_plan->reveal(uid);
  });
  connect(m_site, &SiteView::colorNumberChanged, this, &MainWindow::evaluate);
  connect(m_site, &SiteView::hintChanged, this, [this](const QString& words) {
    m_toolHint = words;
    updateKeys();
  });
  connect(&m_site->cover(), &CoverView::hoverChanged, this,
          [this](const QString& words) { m_message->setText(words); });
  connect(m_ledger, &LedgerView::selectionPlaces, this,
          [this](const std::vector<Vec3>& places) { m_site->showSelection(places); });
  connect(m_site, &SiteView::selectionMade, m_ledger, &LedgerView::selectPoints);
  connect(m_site, &SiteView::shownChanged, this, &MainWindow::evaluate);
  connect(m_site, &SiteView::compareChanged, m_schedule, &ScheduleView::compareWith);
  connect(m_schedule, &ScheduleView::placementWanted, this, [this](const QString& node, quint64 id, const Vec3& place) {
    m_site->lookAt(place);
    m_site->select({{node.toStdString(), {id}}});
  });
  connect(m_schedule, &ScheduleView::finalCounted, this, &MainWindow::updateBudget);
  connect(m_schedule, &ScheduleView::propWanted, m_site, &SiteView::selectProp);
  connect(m_ledger, &LedgerView::messageChanged, m_message, &QLabel::setText);
  connect(m_bench, &BenchView::headingChanged, this, [this] { m_benchHeading->setText(m_bench->heading()); });
  m_benchHeading->setText(m_bench->heading());
  connect(qApp, &QApplication::focusChanged, this, &MainWindow::updateKeys);
  connect(&m_commands, &Commands::keysChanged, this, &MainWindow::updateKeys);
  updateKeys();
  const Settings settings;
  if (!settings.geometry().isEmpty()) restoreGeometry(settings.geometry());
  if (!settings.layout().isEmpty()) restoreState(settings.layout());
  updateTitle();
}

MainWindow::~MainWindow() {
  // Views are told nothing more while the window comes apart.
  WorkerFailures::all().disconnect(this);
  m_service.disconnect(this);
  m_model.disconnect(this);
  qApp->disconnect(this);
  // What was typed and not yet entered goes into the plan while there is one; then the views go, before what they show.
  if (QWidget* typing = focusWidget()) typing->clearFocus();
  for (KeyWindow* keys : findChildren<KeyWindow*>()) delete keys;  // while the commands that it shows are there
  delete m_bottomDock;
  delete m_leftDock;
  delete takeCentralWidget();
}

void MainWindow::buildLeft() {
  m_plan = new PlanView(&m_model);
  m_kit = new KitView(&m_model, &m_service);
  m_left = new QStackedWidget;
  m_left->addWidget(m_plan);
  m_left->addWidget(m_kit);
  m_planTab = makeTab(tr("Plan"), "tab_plan", true);
  m_kitTab = makeTab(tr("Kit"), "tab_kit", false);
  m_leftHint = new QLabel;
  connect(m_planTab, &QToolButton::clicked, this, [this] { showKit(false); });
  connect(m_kitTab, &QToolButton::clicked, this, [this] { showKit(true); });
  m_leftDock = new QDockWidget(tr("Plan and Kit"), this);
  m_leftDock->setObjectName(QStringLiteral("left_dock"));
  m_leftDock->setWidget(m_left);
  m_leftDock->setTitleBarWidget(makeHead({m_planTab, m_kitTab}, m_leftHint));
  addDockWidget(Qt::LeftDockWidgetArea, m_leftDock);
}

void MainWindow::buildBottom() {
  m_bench = new BenchView(&m_model);
  m_benchHeading = new QLabel;
  m_benchHeading->setObjectName(QStringLiteral("bench_heading"));
  m_ledger = new LedgerView;
  m_schedule = new ScheduleView(&m_model, &m_service);
  m_bottom = new QStackedWidget;
  m_bottom->addWidget(m_bench);
  m_bottom->addWidget(m_ledger);
  m_bottom->addWidget(m_schedule);
  m_benchTab = makeTab(tr("Bench"), "tab_bench", true);
  m_ledgerTab = makeTab(tr("Ledger"), "tab_ledger", false);
  m_scheduleTab = makeTab(tr("Schedule"), "tab_schedule", false);
  connect(m_benchTab, &QToolButton::clicked, this, [this] { showBottom(Bottom::Bench); });
  connect(m_ledgerTab, &QToolButton::clicked, this, [this] { showBottom(Bottom::Ledger); });
  connect(m_scheduleTab, &QToolButton::clicked, this, [this] { showBottom(Bottom::Schedule); });
  m_bottomDock = new QDockWidget(tr("Bench, Ledger and Schedule"), this);
  m_bottomDock->setObjectName(QStringLiteral("bottom_dock"));
  m_bottomDock->setWidget(m_bottom);
  m_bottomDock->setTitleBarWidget(makeHead({m_benchTab, m_ledgerTab, m_scheduleTab}, m_benchHeading));
  addDockWidget(Qt::BottomDockWidgetArea, m_bottomDock);
}

void MainWindow::showBottom(Bottom which) {
  m_bottom->setCurrentIndex(static_cast<int>(which));
  m_benchTab->setChecked(which == Bottom::Bench);
  m_ledgerTab->setChecked(which == Bottom::Ledger);
  m_scheduleTab->setChecked(which == Bottom::Schedule);
}

void MainWindow::openContactSheet() {
  const QStringList selection = m_plan->selection();
  auto* sheet = new ContactSheet(&m_model, m_service.files(), m_site->camera(),
                                 selection.size() == 1 ? selection.first() : QString(), this);
  sheet->show();
}

void MainWindow::showKit(bool isKit) {
  m_left->setCurrentIndex(isKit ? 1 : 0);
  m_planTab->setChecked(!isKit);
  m_kitTab->setChecked(isKit);
  updateKeys();
}

void MainWindow::buildMenus() {
  using Keys = QList<QKeySequence>;
  const auto add = [this](QMenu* menu, const QString& words, const Keys& keys, const char* name,
                          std::function<void()> what) {
    return m_commands.add(menu, words, keys, name, nullptr, std::move(what));
  };
  const auto inPlan = [this](QMenu* menu, const QString& words, const Keys& keys, const char* name,
                             std::function<void()> what) {
    return m_commands.add(menu, words, keys, name, m_plan, std::move(what));
  };
  const auto inSite = [this](QMenu* menu, const QString& words, const Keys& keys, const char* name,
                             std::function<void()> what) {
    return m_commands.add(menu, words, keys, name, m_site, std::move(what));
  };
  QMenu* file = menuBar()->addMenu(tr("&File"));
  add(file, tr("New plan"), {Qt::CTRL | Qt::Key_N}, "file_new", [this] { newPlan(); });
  add(file, tr("Open…"), {Qt::CTRL | Qt::Key_O}, "file_open", [this] { open(); });
  m_recent = file->addMenu(tr("Open recent"));
  connect(m_recent, &QMenu::aboutToShow, this, &MainWindow::fillRecent);
  file->addSeparator();
  add(file, tr("Save"), {Qt::CTRL | Qt::Key_S}, "file_save", [this] { save(); });
  add(file, tr("Save as…"), {Qt::CTRL | Qt::SHIFT | Qt::Key_S}, "file_save_as", [this] { saveAs(); });
  add(file, tr("Export…"), {Qt::CTRL | Qt::Key_E}, "file_export", [this] { openExport(); });
  file->addSeparator();
  add(file, tr("Quit"), {Qt::CTRL | Qt::Key_Q}, "file_quit", [this] { close(); });

  QMenu* edit = menuBar()->addMenu(tr("&Edit"));
  QAction* undo = m_model.undoStack().createUndoAction(this, tr("Undo"));
  QAction* redo = m_model.undoStack().createRedoAction(this, tr("Redo"));
  m_commands.add(edit, undo, {Qt::CTRL | Qt::Key_Z}, "edit_undo");
  m_commands.add(edit, redo, {Qt::CTRL | Qt::SHIFT | Qt::Key_Z, Qt::CTRL | Qt::Key_Y}, "edit_redo");
  edit->addSeparator();
  add(edit, tr("Copy"), {Qt::CTRL | Qt::Key_C}, "edit_copy",
      [this] { isInLedger() ? m_ledger->copyRows() : m_plan->copySelected(); });
  add(edit, tr("Paste"), {Qt::CTRL | Qt::Key_V}, "edit_paste", [this] { m_plan->pasteClipboard(); });
  add(edit, tr("Duplicate"), {Qt::CTRL | Qt::Key_D}, "edit_duplicate", [this] { m_plan->duplicateSelected(); });
  add(edit, tr("Select all"), {Qt::CTRL | Qt::Key_A}, "edit_select_all",
      [this] { isInLedger() ? m_ledger->selectAll() : m_plan->selectAll(); });

  // Single letters act only while Plan or Site has the focus, so that they can be typed everywhere else.
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
  inPlan(plan, tr("Skip"), {Qt::Key_K}, "plan_skip", [this] { m_plan->skipSelected(); });
  inPlan(plan, tr("Rename"), {Qt::Key_F2}, "plan_rename", [this] { m_plan->renameSelected(); });
  inPlan(plan, tr("Lift out"), {Qt::Key_L}, "plan_lift", [this] { m_plan->liftSelected(); });
  inPlan(plan, tr("Tidy"), {Qt::Key_T}, "plan_tidy", [this] { m_plan->tidy(); });
  inPlan(plan, tr("Delete"), {Qt::Key_Delete, Qt::Key_Backspace}, "plan_delete", [this] { m_plan->removeSelected(); });
  inPlan(plan, tr("Fold or unfold its chain"), {Qt::Key_U}, "plan_fold", [this] { m_plan->foldSelected(); });
  inPlan(plan, tr("Bed around the selection"), {Qt::Key_B}, "plan_bed", [this] {
    showKit(false);
    m_plan->addBed();
  });
  inPlan(plan, tr("Note"), {Qt::Key_N}, "plan_note", [this] {
    showKit(false);
    m_plan->addNote();
  });
  inPlan(plan, tr("Show whole plan"), {Qt::Key_Home}, "plan_fit", [this] { m_plan->fitAll(); });
  plan->addSeparator();
  add(plan, tr("Next seed"), {Qt::CTRL | Qt::Key_R}, "plan_next_seed",
      [this] { m_model.edit(tr("Next seed"), [](Plan& p) { ++p.settings.seed; }); });
  add(plan, tr("Contact sheet…"), {Qt::SHIFT | Qt::Key_S}, "plan_contact_sheet", [this] { openContactSheet(); });

  QMenu* site = menuBar()->addMenu(tr("&Site"));
  add(site, tr("Dressed"), {}, "site_dressed", [this] { m_site->setMode(SiteMode::Dressed); });
  add(site, tr("Massing"), {}, "site_massing", [this] { m_site->setMode(SiteMode::Massing); });
  add(site, tr("Points"), {}, "site_points", [this] { m_site->setMode(SiteMode::Points); });
  add(site, tr("Cover"), {}, "site_cover", [this] { m_site->setMode(SiteMode::Cover); });
  add(site, tr("Mask"), {}, "site_mask", [this] { m_site->setMode(SiteMode::Mask); });
  site->addSeparator();
  inSite(site, tr("Why here…"), {Qt::Key_Y}, "site_why",
         [this] { m_site->isAsking() ? m_site->stopAsking() : m_site->startAsking(); });
  inSite(site, tr("Hold to compare"), {Qt::Key_C}, "site_compare", [this] { m_site->toggleCompare(); });
  site->addSeparator();
  add(site, tr("Select the same prop"), {}, "site_same_prop", [this] { m_site->selectSame(SameAs::Prop); });
  add(site, tr("Select the same node"), {}, "site_same_node", [this] { m_site->selectSame(SameAs::Node); });
  add(site, tr("Select the same clump"), {}, "site_same_clump", [this] { m_site->selectSame(SameAs::Clump); });
  inSite(site, tr("Hide selected"), {Qt::Key_Minus}, "site_hide", [this] { m_site->hideSelected(false); });
  inSite(site, tr("Show only selected"), {Qt::Key_Plus}, "site_only", [this] { m_site->hideSelected(true); });
  inSite(site, tr("Show everything"), {Qt::Key_0}, "site_show", [this] { m_site->showHidden(); });
  QAction* lasso = add(site, tr("Select by outline"), {}, "site_lasso",
                       [this] { m_site->setLasso(!m_site->isLasso()); });
  lasso->setCheckable(true);
  connect(site, &QMenu::aboutToShow, this, [this, lasso] { lasso->setChecked(m_site->isLasso()); });
  site->addSeparator();
  inPlan(site, tr("Selected node in Site"), {Qt::Key_I}, "site_in_site", [this] {
    const QStringList selection = m_plan->selection();
    if (selection.size() == 1) setInSite(selection.first() == m_inSite ? QString() : selection.first());
  });
  add(site, tr("Show all nodes"), {}, "site_all", [this] { setInSite({}); });
  inSite(site, tr("Fit everything"), {Qt::Key_Home}, "site_fit", [this] { m_site->fitAll(); });
  inSite(site, tr("Fit the clicked place"), {Qt::Key_F}, "site_fit_place", [this] { m_site->fitPlace(); });
  QMenu* cameras = site->addMenu(tr("Saved cameras"));
  for (int i = 0; i < 4; ++i)
    inSite(cameras, tr("Camera %1").arg(i + 1), {QKeySequence(Qt::Key_1 + i)},
           qPrintable(QStringLiteral("site_camera_%1").arg(i + 1)),
           [this, i] { m_site->goToCamera(static_cast<std::size_t>(i)); });
  add(site, tr("Keep this camera"), {}, "site_keep_camera", [this] {
    m_model.edit(tr("Keep camera"), [this](Plan& p) {
      const Camera& c = m_site->camera();
      p.settings.cameras.push_back(
          {tr("Camera %1").arg(p.settings.cameras.size() + 1).toStdString(), c.eye, c.target, c.fieldOfViewDeg});
    });
  });

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
  add(view, tr("Paper"), {}, "view_paper", [this] { setTheme(QStringLiteral("paper")); });
  add(view, tr("Night"), {}, "view_night", [this] { setTheme(QStringLiteral("night")); });
  add(view, tr("As the desktop"), {}, "view_desktop", [this] { setTheme(QStringLiteral("desktop")); });
  view->addSeparator();
  add(view, tr("Swap the room of Plan and Site"), {Qt::Key_F6}, "view_swap", [this] { swapViews(); });
  view->addAction(m_leftDock->toggleViewAction());
  view->addAction(m_bottomDock->toggleViewAction());

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
                          "read.<br>Licensed under Apache 2.0. The font is Inter, under the SIL Open Font License.")
                           .arg(QApplication::applicationVersion()));
  });

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

void MainWindow::buildStatus() {
  m_counts = new QLabel;
  m_counts->setObjectName(QStringLiteral("counts"));
  m_message = new QLabel;
  m_message->setProperty("role", QStringLiteral("quiet"));
  m_message->setObjectName(QStringLiteral("message"));
  m_keys = new QLabel;
  m_keys->setProperty("role", QStringLiteral("quiet"));
  m_progress = new QProgressBar;
  m_progress->setRange(0, 1000);
  m_progress->setFixedWidth(120);
  m_progress->setTextVisible(false);
  m_progress->setObjectName(QStringLiteral("progress"));
  m_progress->hide();
  m_cancel = new QToolButton;
  m_cancel->setText(tr("cancel"));
  m_cancel->setObjectName(QStringLiteral("cancel"));
  m_cancel->hide();
  connect(m_cancel, &QToolButton::clicked, this, [this] { m_service.cancel(); });
  statusBar()->setSizeGripEnabled(false);
  m_budget = new BudgetBar;
  connect(m_budget, &BudgetBar::clicked, this, [this] { showBottom(Bottom::Schedule); });
  statusBar()->addWidget(m_counts);
  statusBar()->addWidget(m_budget);
  statusBar()->addWidget(m_message, 1);
  statusBar()->addPermanentWidget(m_progress);
  statusBar()->addPermanentWidget(m_cancel);
  statusBar()->addPermanentWidget(m_keys);
  statusBar()->setContentsMargins(8, 0, 8, 0);
}

QString MainWindow::selectedMask() const {
  if (m_site->mode() == SiteMode::Dressed || m_site->mode() == SiteMode::Massing || m_plan->selection().size() != 1)
    return {};
  const Node* node = m_model.plan().find(m_plan->selection().first().toStdString());
  const NodeKind* kind = node ? findNodeKind(node->kind) : nullptr;
  return kind && kind->family == Family::Mask ? m_plan->selection().first() : QString();
}

void MainWindow::evaluate() {
  m_watch.watch(m_model.plan(), m_file.isEmpty() ? QString() : QFileInfo(m_file).absolutePath());
  EvaluationService::Request request;
  request.plan = m_model.snapshot();
  request.quality = m_quality;
  request.inSite = m_inSite.toStdString();
  request.isPoints = m_site->mode() == SiteMode::Points;
  request.isCover = m_site->mode() == SiteMode::Cover;
  request.isMassing = m_site->mode() == SiteMode::Massing;
  request.exploded = m_site->exploded();
  request.hidden = m_site->hidden();
  request.colorByNumber = m_site->colorNumber().toStdString();
  (m_site->mode() == SiteMode::Mask ? request.maskOnGround : request.colorBy) = selectedMask().toStdString();
  m_service.request(std::move(request));
}

void MainWindow::showResults() {
  const EvalViewPtr view = m_service.latest();
  m_progressDelay.stop();
  m_progress->hide();
  m_cancel->hide();
  m_message->clear();
  m_plan->showResults(view);
  m_bench->showResults(view);
  m_kit->showResults(view);
  m_ledger->showResults(view);
  m_schedule->showResults(view);
  m_site->showResults(view);
  const QLocale locale;
  const double millions = static_cast<double>(view->totals.triangles) / 1e6;
  const QString quality = view->quality == Quality::Draft ? tr("draft") : tr("final");
  m_counts->setText(tr("%1 placed (%2) · %3 M triangles · %4 ms · %5 MB")
                        .arg(locale.toString(static_cast<qulonglong>(view->totals.placements)), quality,
                             locale.toString(millions, 'f', millions < 10 ? 2 : 1),
                             locale.toString(view->evaluation.milliseconds, 'f', 0),
                             locale.toString(static_cast<double>(view->cacheBytes) / 1e6, 'f', 0)));
  updateBudget();
  const Node* mask = m_model.plan().find(selectedMask().toStdString());
  m_site->setMaskTitle(mask ? text(mask->title) : QString());
}

bool MainWindow::isInLedger() const {
  return m_ledger->isVisible() && m_ledger->isAncestorOf(QApplication::focusWidget());
}

void MainWindow::updateBudget() {
  const auto& budgets = m_model.plan().settings.budgets;
  const auto it = budgets.find("all");
  m_budget->showUse(it == budgets.end() ? Budget{} : it->second, m_schedule->finalCount());
}

void MainWindow::updateSelection() {
  const QStringList selection = m_plan->selection();
  m_bench->showNode(selection.size() == 1 ? selection.first() : QString());
  updateTool();
  if (m_site->mode() == SiteMode::Points || m_site->mode() == SiteMode::Mask) evaluate();
}

void MainWindow::updateTool() {
  const QStringList selection = m_plan->selection();
  m_site->setTool(selection.size() == 1 ? makeSiteTool(&m_model, selection.first()) : nullptr);
}

QString MainWindow::hint(const std::vector<std::pair<const char*, QString>>& parts) const {
  QStringList out;
  for (const auto& [command, words] : parts) {
    const QString keys = command ? m_commands.keysOf(command) : QString();
    if (!command)
      out.append(words);
    else if (!keys.isEmpty())
      out.append(QStringLiteral("%1 %2").arg(keys, words));
  }
  return out.join(QStringLiteral(" · "));
}

void MainWindow::updateKeys() {
  const QWidget* now = QApplication::focusWidget();
  if (!m_toolHint.isEmpty())
    m_keys->setText(m_toolHint);
  else if (now == m_site)
    m_keys->setText(hint({{"site_why", tr("why here")},
                          {"site_compare", tr("compare")},
                          {nullptr, tr("middle drag orbits")},
                          {"site_fit", tr("all")}}));
  else
    m_keys->setText(hint({{"plan_skip", tr("skip")},
                          {"site_in_site", tr("in Site")},
                          {"plan_rename", tr("rename")},
                          {"plan_add", tr("add")},
                          {"help_manual", tr("manual")}}));
  m_leftHint->setText(m_left->currentIndex() == 1 ? tr("drop mesh files here")
                                                  : hint({{"plan_add", tr("adds")}, {"plan_find", tr("finds")}}));
}

void MainWindow::answerWhy(const Vec3& spot, const QString& node, quint64 id, float radius) {
  const EvalViewPtr view = m_service.latest();
  if (!view) return;
  constexpr std::size_t kMostLines = 200;
  m_why.ask([this, view, spot, node = node.toStdString(), id, radius](const Task& task) -> std::function<void()> {
    const WhyHere here = whyHere(*view->plan, view->evaluation, view->quality, spot, radius, kMostLines, task);
    const std::vector<WhyStep> story = node.empty()
                                           ? std::vector<WhyStep>()
                                           : storyOf(*view->plan, view->evaluation, view->quality, node, id, task);
    if (task.isCancelled()) return {};
    return [this, view, here, story, radius] {
      m_site->whyPanel().showAnswer(*view->plan, here, story, radius);
      m_site->update();
    };
  });
}

void MainWindow::setInSite(const QString& uid) {
  m_inSite = uid;
  m_plan->setInSite(uid);
  const Node* node = m_model.plan().find(uid.toStdString());
  m_site->setInSite(node ? text(node->title) : QString());
  evaluate();
}

void MainWindow::setQuality(Quality quality) {
  m_quality = quality;
  (quality == Quality::Draft ? m_draft : m_final)->setChecked(true);
  evaluate();
}

void MainWindow::updateTitle() {
  const QString name = m_file.isEmpty() ? tr("untitled.arvesk") : QFileInfo(m_file).fileName();
  setWindowTitle(tr("%1[*] – Arvesk").arg(name));
  setWindowModified(!m_model.undoStack().isClean());
}

void MainWindow::setFile(const QString& path) {
  m_file = path;
  const QString folder = path.isEmpty() ? QString() : QFileInfo(path).absolutePath();
  m_service.setFolder(folder);
  m_bench->setFolder(folder);
  m_kit->setFolder(folder);
  m_autosave.setFile(path);
  if (!path.isEmpty()) Settings().addRecentFile(QFileInfo(path).absoluteFilePath());
  updateTitle();
}

bool MainWindow::mayGoOn() {
  if (m_model.undoStack().isClean()) return true;
  QMessageBox box(
      QMessageBox::NoIcon, tr("Unsaved changes"),
      tr("Save the changes to %1 first?").arg(m_file.isEmpty() ? tr("the new plan") : QFileInfo(m_file).fileName()),
      QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, this);
  box.setObjectName(QStringLiteral("unsaved_box"));
  const int answer = box.exec();
  if (answer == QMessageBox::Cancel) return false;
  if (answer == QMessageBox::Save) return save();
  m_autosave.discard();
  return true;
}

bool MainWindow::offerRecovery(const QString& path) {
  const QString kept = Autosave::fileFor(path);
  if (!QFile::exists(kept)) return false;
  QMessageBox box(QMessageBox::NoIcon, tr("Unsaved work was found"),
                  tr("Arvesk ended before changes to %1 were saved. Take them back?")
                      .arg(path.isEmpty() ? tr("a new plan") : QFileInfo(path).fileName()),
                  QMessageBox::NoButton, this);
  box.setObjectName(QStringLiteral("recovery_box"));
  QAbstractButton* take = box.addButton(tr("Take them back"), QMessageBox::AcceptRole);
  box.addButton(tr("Open the saved plan"), QMessageBox::RejectRole);
  box.exec();
  if (box.clickedButton() != take) {
    QFile::remove(kept);
    return false;
  }
  auto plan = loadPlan(kept.toStdString());
  if (!plan) {
    QMessageBox::warning(this, tr("Unsaved work"), text(toLine(plan.error())));
    return false;
  }
  setFile(path);
  m_model.reset({});
  m_model.edit(tr("Recovered work"), [&](Plan& p) { p = *plan; });
  return true;
}

void MainWindow::newPlan() {
  if (!mayGoOn()) return;
  m_site->select({});
  m_site->showHidden();
  setFile({});
  m_model.reset({});
}

void MainWindow::open() {
  const QString path = QFileDialog::getOpenFileName(this, tr("Open a plan"),
                                                    m_file.isEmpty() ? QString() : QFileInfo(m_file).absolutePath(),
                                                    tr("Plans (*.arvesk);;All files (*)"));
  if (!path.isEmpty()) openFile(path);
}

bool MainWindow::openFile(const QString& path) {
  if (!mayGoOn()) return false;
  if (offerRecovery(path)) return true;
  auto plan = loadPlan(path.toStdString());
  if (!plan) {
    QMessageBox::warning(this, tr("The plan cannot be opened"), text(toLine(plan.error())));
    return false;
  }
  setInSite({});
  m_site->select({});
  m_site->showHidden();
  setFile(path);
  const bool isReadOnly = plan->isReadOnly;
  m_model.reset(std::move(*plan));
  if (isReadOnly) m_message->setText(tr("Written by a newer version: open read-only, save it under another name"));
  return true;
}

bool MainWindow::saveTo(const QString& path) {
  Plan plan = m_model.plan();
  if (path != m_file) plan.isReadOnly = false;
  if (auto ok = savePlan(plan, path.toStdString()); !ok) {
    QMessageBox::warning(this, tr("The plan was not saved"), text(toLine(ok.error())));
    return false;
  }
  m_autosave.discard();
  setFile(path);
  m_model.undoStack().setClean();
  m_message->setText(tr("saved"));
  evaluate();  // relative paths may start elsewhere now
  return true;
}

bool MainWindow::save() { return m_file.isEmpty() ? saveAs() : saveTo(m_file); }

bool MainWindow::saveAs() {
  QString path = QFileDialog::getSaveFileName(this, tr("Save the plan as"), m_file, tr("Plans (*.arvesk)"));
  if (path.isEmpty()) return false;
  if (QFileInfo(path).suffix().isEmpty()) path += QStringLiteral(".arvesk");
  return saveTo(path);
}

void MainWindow::fillRecent() {
  m_recent->clear();
  for (const QString& path : Settings().recentFiles())
    m_recent->addAction(QDir::toNativeSeparators(path), this, [this, path] { openFile(path); });
  if (m_recent->isEmpty()) m_recent->addAction(tr("none yet"))->setEnabled(false);
}

void MainWindow::openManual() {
  const QStringList selection = m_plan->selection();
  const Node* node = selection.size() == 1 ? m_model.plan().find(selection.first().toStdString()) : nullptr;
  if (!m_manual) m_manual = new ManualWindow(this);
  m_manual->showPage(node ? text(node->kind) : QString());
  m_manual->show();
  m_manual->raise();
}

void MainWindow::openExport() {
  auto* window = new ExportWindow(m_model.snapshot(), m_file, m_service.files(), this);
  window->show();
}

void MainWindow::setTheme(const QString& choice) {
  Settings().setTheme(choice);
  Theme::apply(*qApp, choice);
  for (QWidget* w : findChildren<QWidget*>()) w->update();
}

void MainWindow::swapViews() {
  m_isSwapped = !m_isSwapped;
  QWidget* middle = takeCentralWidget();
  QWidget* side = m_leftDock->widget();
  m_leftDock->setWidget(middle);
  setCentralWidget(side);
  middle->show();
  side->show();
}

void MainWindow::closeEvent(QCloseEvent* event) {
  if (QWidget* typing = focusWidget())
    typing->clearFocus();  // enters what was typed, so that it is asked about and saved
  if (!mayGoOn()) {
    event->ignore();
    return;
  }
  if (m_isSwapped) swapViews();
  Settings().setWindow(saveGeometry(), saveState());
  m_autosave.discard();
  m_service.cancel();
  event->accept();
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
  if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
  event->acceptProposedAction();
  for (const QUrl& url : event->mimeData()->urls()) {
    if (!url.isLocalFile()) continue;
    const QString path = url.toLocalFile();
    if (path.endsWith(QStringLiteral(".arvesk"))) {
      openFile(path);
      return;
    }
    const NodeKind* kind = findNodeKind(isImageFile(path) ? "terrain" : "mesh-file");
    const QString folder = m_file.isEmpty() ? QString() : QFileInfo(m_file).absolutePath();
    m_model.undoStack().beginMacro(tr("Add %1").arg(QFileInfo(path).fileName()));
    double y = 20;
    for (const PlanCard& card : m_plan->layoutNow().cards) y = std::max(y, card.rect.bottom() + 34);
    const QString uid = m_model.addNode(*kind, 140, y);
    m_model.rename(uid, QFileInfo(path).completeBaseName());
    m_model.setParam(uid, "file", (folder.isEmpty() ? path : QDir(folder).relativeFilePath(path)).toStdString());
    m_model.undoStack().endMacro();
    m_plan->select({uid});
  }
}

}  // namespace arvesk
