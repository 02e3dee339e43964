#include "app/window/main_window.h"
#include "app/plan/path_line.h"
#include "app/site/time_line.h"

#include "app/kit/prop_mime.h"
#include "app/model/words.h"

#include "app/bench/number_field.h"
#include "app/schedule/budget_bar.h"
#include "app/window/contact_sheet.h"
#include "app/window/elided_label.h"
#include "app/window/export_window.h"
#include "app/window/key_window.h"
#include "app/window/settings.h"
#include "app/window/start_page.h"
#include "app/window/theme.h"
#include "app/window/tiles_window.h"
#include "core/base/safe_file.h"
#include "core/formats/plan_file.h"

#include <QApplication>
#include <QDir>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QKeySequenceEdit>
#include <QLabel>
#include <QLocale>
#include <QMenuBar>
#include <QMimeData>
#include <QPlainTextEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QScreen>
#include <QStackedWidget>
#include <QStatusBar>
#include <QToolButton>

namespace arvesk {
namespace {

/// The head of a panel: tabs or a title at the left, a quiet word at the right. Dragging it moves the dock.
QWidget* makeHead(const std::vector<QToolButton*>& tabs, QLabel* hint) {
  auto* head = new QWidget;
  head->setProperty("role", QStringLiteral("head"));
  head->setAttribute(Qt::WA_StyledBackground);
  auto* row = new QHBoxLayout(head);
  row->setContentsMargins(8, 0, 12, 0);
  row->setSpacing(4);
  for (QToolButton* tab : tabs) row->addWidget(tab);
  hint->setProperty("role", QStringLiteral("quiet"));
  hint->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  row->addSpacing(12);
  row->addWidget(hint, 1);
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

MainWindow::MainWindow() : m_recovery(&m_model, this) {
  setObjectName(QStringLiteral("main_window"));
  setAcceptDrops(true);
  setDockNestingEnabled(true);
  m_site = new SiteView(this);
  m_start = new StartPage(m_site);
  connect(m_start, &StartPage::planWanted, this, &MainWindow::openFile);
  connect(m_start, &StartPage::openWanted, this, &MainWindow::open);
  connect(m_start, &StartPage::groundWanted, this, &MainWindow::beginWithGround);
  connect(m_start, &StartPage::layoutWanted, this, &MainWindow::beginWithLayout);
  connect(&m_model, &PlanModel::changed, this, &MainWindow::updateStart);
  connect(&m_model, &PlanModel::wasReset, this, &MainWindow::updateStart);
  buildLeft();
  buildBottom();
  buildMenus();
  buildStatus();
  fitScreen();
  m_panes.arrange(Arrangement::SiteLarge);

  connect(&m_model, &PlanModel::changed, this, [this] {
    m_said.clear();
    updateTitle();
    if (!m_inSite.isEmpty() && !findInside(m_model.document(), m_inSite.toStdString()))
      setInSite({});
    else
      evaluate();
  });
  connect(&m_model, &PlanModel::frameChanged, this, [this, asked = PlanPtr()]() mutable {
    if (m_service.isBusy() && asked == m_model.snapshot()) return;  // it played to here, and that comes
    asked = m_model.snapshot();
    if (m_service.latest() && m_service.latest()->plan == m_model.snapshot() && !m_service.isBusy())
      showResults();  // it played to here
    else
      m_service.request(requestFor(m_model.snapshot()));
  });
  connect(&m_watch, &FileWatch::filesChanged, this, [this](QStringList paths) {
    if (!m_file.isEmpty() && paths.removeAll(QFileInfo(m_file).absoluteFilePath()) > 0) {
      const auto now = readWhole(m_file.toStdString(), kLargestPlan);
      if (now && *now != m_onDisk)
        say(tr("! %1 was written by another program or window; saving asks first").arg(QFileInfo(m_file).fileName()));
    }
    if (paths.isEmpty()) return;
    say(paths.size() == 1 ? tr("%1 has changed and is read again").arg(QFileInfo(paths.first()).fileName())
                          : tr("%1 files have changed and are read again").arg(paths.size()));
    evaluate();
  });
  connect(&m_recovery, &Recovery::failed, this, [this](const QString& line) { say(QStringLiteral("! ") + line); });
  m_model.keepPlaces(
      [this] {
        return WorkPlace{m_plan->selection(), m_inSite};
      },
      [this](const WorkPlace& place) {
        if (place.inSite != m_inSite) setInSite(place.inSite);
        m_plan->goTo(place.selection);
      });
  connect(&m_model, &PlanModel::told, this, &MainWindow::say);
  connect(m_bench, &BenchView::insideWanted, this, [this](const QString& uid) { m_model.enter(uid); });
  connect(m_bench, &BenchView::keepWanted, this, &MainWindow::keepInLibrary);
  connect(m_bench, &BenchView::laterWanted, this, &MainWindow::compareLater);
  m_bench->setDropWords([this](const ParamSpec& spec, const QPoint& at) { return m_path->showDrag(spec, at); });
  connect(m_bench, &BenchView::controlLeft, m_path, &PathLine::endDrag);
  connect(m_bench, &BenchView::controlDropped, m_path, &PathLine::drop);
  connect(m_path, &PathLine::frontsWanted, this, [this] {
    m_plan->select({});
    showBottom(Bottom::Bench);
  });
  connect(&m_model, &PlanModel::libraryChanged, this, &MainWindow::tellLater);
  connect(&m_model, &PlanModel::wasReset, this, [this] { m_toldLater.clear(); });
  connect(&m_model, &PlanModel::changed, this, &MainWindow::tellLater);
  readLibrary();
  qApp->installEventFilter(this);
  connect(&m_model.undoStack(), &QUndoStack::cleanChanged, this, &MainWindow::updateTitle);
  connect(&m_service, &EvaluationService::finished, this, &MainWindow::showResults);
  connect(&m_model, &PlanModel::wasReset, this, [this] {
    m_service.beginPlan();
    m_masks.clear();
    m_site->beginPlan();
  });
  const auto showForNow = [this](const EvalViewPtr& view) {
    m_plan->showResults(view);
    m_site->showResults(view);
  };
  connect(&m_service, &EvaluationService::grew, this, showForNow);
  connect(&m_service, &EvaluationService::passed, this, showForNow);
  m_masks.setFiles(m_service.files());
  connect(&m_masks, &PlanPictureService::ready, this, [this] {
    m_plan->showMasks(m_masks.latest());
    m_bench->showMasks(m_masks.latest());
    const auto chosen = m_masks.latest()->find(m_bench->node().toStdString());
    m_site->showAreas(chosen == m_masks.latest()->end() ? PlanPicture() : chosen->second);
  });
  connect(&m_service, &EvaluationService::started, this, [this] {
    m_work = {};
    m_progressDelay.start();
  });
  connect(&m_service, &EvaluationService::progressed, this, [this](const WorkNow& now) {
    m_work = now;
    showWork();
  });
  connect(&m_service, &EvaluationService::wasCancelled, this, [this] {
    if (m_service.isBusy()) return;
    endWork();
    m_message->clear();
  });
  connect(&m_service, &EvaluationService::failed, this, &MainWindow::endWork);
  connect(&WorkerFailures::all(), &WorkerFailures::happened, this,
          [this](const QString& line) { m_message->setText(QStringLiteral("! ") + line); });
  m_progressDelay.setSingleShot(true);
  m_progressDelay.setInterval(400);
  connect(&m_progressDelay, &QTimer::timeout, this, [this] {
    m_progress->show();
    m_cancel->show();
    showWork();
  });
  connectViews();
  connect(qApp, &QApplication::focusChanged, this, &MainWindow::updateKeys);
  connect(&m_commands, &Commands::keysChanged, this, &MainWindow::updateKeys);
  updateKeys();
  const Settings settings;
  if (!settings.geometry().isEmpty()) restoreGeometry(settings.geometry());
  m_isArranged = !settings.layout().isEmpty() && m_panes.restore(settings.layout());
  updateTitle();
  m_plan->setFocus();  // so that Enter adds at once
}

void MainWindow::connectViews() {
  connectTouching();
  connect(m_plan, &PlanView::selectionChanged, this, &MainWindow::updateSelection);
  connect(m_plan, &PlanView::inSiteWanted, this, &MainWindow::setInSite);
  // What failed was not kept, so that asking is all it takes.
  connect(m_plan, &PlanView::refused, this, [this](const QString& words) { say(QStringLiteral("! ") + words); });
  connect(m_plan, &PlanView::tryAgainWanted, this, &MainWindow::evaluate);
  connect(m_kit, &KitView::tryAgainWanted, this, &MainWindow::evaluate);
  connect(m_bench, &BenchView::tryAgainWanted, this, &MainWindow::evaluate);
  connect(m_site, &SiteView::showAllWanted, this, [this] { setInSite({}); });
  connect(m_site, &SiteView::modeChanged, this, [this] { evaluate(); });
  connect(m_site, &SiteView::picked, m_message, &QLabel::setText);
  connect(m_site, &SiteView::takeOverWanted, this, &MainWindow::takeOver);
  connect(m_site, &SiteView::giveBackWanted, this, &MainWindow::giveBackToRules);
  connect(m_site, &SiteView::whyWanted, this, &MainWindow::answerWhy);
  connect(m_site, &SiteView::nodeWanted, this, [this](const QString& uid) {
    showKit(false);
    m_plan->reveal(uid);
  });
  connect(m_site, &SiteView::colorNumberChanged, this, &MainWindow::evaluate);
  connect(m_site, &SiteView::propsDropped, this,
          [this](const QString& node, const std::string& onProp, const QStringList& props) {
            const QStringList choosers = node.isEmpty() ? QStringList() : m_model.choosersFor(node, onProp);
            if (choosers.isEmpty())
              return say(tr("let props go on a thing in Site: they join what it was chosen from"));
            if (choosers.size() > 1)
              return say(tr("! several lists have this prop; let the new ones go on one of these in the Plan"));
            m_model.choose(choosers.first(), props);
            m_plan->reveal(choosers.first());
          });
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
  m_panes.remove();
}

void MainWindow::buildLeft() {
  m_plan = new PlanView(&m_model);
  m_kit = new KitView(&m_model, &m_service);
  m_left = new QStackedWidget;
  auto* page = new QWidget;
  auto* column = new QVBoxLayout(page);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  m_path = new PathLine(&m_model);
  column->addWidget(m_path);
  column->addWidget(m_plan, 1);
  m_left->addWidget(page);
  m_left->addWidget(m_kit);
  m_planTab = makeTab(tr("Plan"), "tab_plan", true);
  m_kitTab = makeTab(tr("Kit"), "tab_kit", false);
  m_leftHint = new ElidedLabel;
  connect(m_planTab, &QToolButton::clicked, this, [this] {
    showKit(false);
    m_plan->setFocus();
  });
  connect(m_kitTab, &QToolButton::clicked, this, [this] { showKit(true); });
  m_planTab->setAcceptDrops(true);  // props are dragged over it to the Plan that it brings up, see eventFilter
  m_panes.addPlan(tr("Plan and Kit"), m_left, makeHead({m_planTab, m_kitTab}, m_leftHint));
  auto* scene = new QWidget;
  auto* under = new QVBoxLayout(scene);
  under->setContentsMargins(0, 0, 0, 0);
  under->setSpacing(0);
  m_time = new TimeLine(
      &m_model,
      [this] { return !m_service.isBusy() && m_service.latest() && m_service.latest()->plan == m_model.snapshot(); },
      [this](double frame) { return isFrameReady(frame); });
  connect(&m_service, &EvaluationService::frameReady, m_time, &TimeLine::showReady);
  m_service.setAhead([this] { return nextFrame(); });
  under->addWidget(m_site, 1);
  under->addWidget(m_time);
  m_panes.addSite(tr("Site"), scene);
}

void MainWindow::buildBottom() {
  m_bench = new BenchView(&m_model);
  m_bench->setPictures([this](const std::string& uid) {
    const auto it = m_service.thumbnails().find(uid);
    return it == m_service.thumbnails().end() ? QPixmap() : QPixmap::fromImage(it->second);
  });
  connect(&m_service, &EvaluationService::thumbnailReady, m_bench, [this] { m_bench->updatePictures(); });
  connect(m_bench, &BenchView::rebuilt, this, &MainWindow::orderTabs);
  m_benchHeading = new ElidedLabel;
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
  m_panes.addBench(tr("Bench, Ledger and Schedule"), m_bottom,
                   makeHead({m_benchTab, m_ledgerTab, m_scheduleTab}, m_benchHeading));
}

/// From the Plan the Tab key goes to the first control of the Bench, and on through them in order.
void MainWindow::orderTabs() {
  QWidget* before = m_plan;
  for (QWidget* control : m_bench->findChildren<QWidget*>())
    if ((control->focusPolicy() & Qt::TabFocus) && !control->focusProxy() && control->isVisibleTo(m_bench) &&
        control->window() == window()) {
      setTabOrder(before, control);
      before = control;
    }
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

void MainWindow::buildStatus() {
  m_counts = new QLabel;
  m_counts->setObjectName(QStringLiteral("counts"));
  m_message = new ElidedLabel;
  m_message->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Preferred);
  m_message->setProperty("role", QStringLiteral("quiet"));
  m_message->setObjectName(QStringLiteral("message"));
  m_keys = new HintLine;
  m_keys->setProperty("role", QStringLiteral("quiet"));
  m_progress = new QProgressBar;
  m_progress->setRange(0, 1000);
  m_progress->setFixedWidth(120);
  m_progress->setTextVisible(false);
  m_progress->setObjectName(QStringLiteral("progress"));
  m_progress->hide();
  m_cancel = new QToolButton;
  m_cancel->setText(tr("Cancel"));
  m_cancel->setObjectName(QStringLiteral("cancel"));
  m_cancel->hide();
  connect(m_cancel, &QToolButton::clicked, this, [this] { m_service.cancel(); });
  statusBar()->setSizeGripEnabled(false);
  m_budget = new BudgetBar;
  connect(m_budget, &BudgetBar::clicked, this, [this] { showBottom(Bottom::Schedule); });
  statusBar()->addWidget(m_counts);
  statusBar()->addWidget(m_budget);
  statusBar()->addWidget(m_message);
  m_overlaps = new QToolButton;
  m_overlaps->setObjectName(QStringLiteral("overlaps"));
  m_overlaps->setToolTip(tr("Selects what overlaps"));
  m_overlaps->hide();
  connect(m_overlaps, &QToolButton::clicked, this, &MainWindow::selectOverlaps);
  statusBar()->addPermanentWidget(m_overlaps);
  statusBar()->addPermanentWidget(m_progress);
  statusBar()->addPermanentWidget(m_cancel);
  statusBar()->addPermanentWidget(m_keys, 1);  // counts and messages come first in a narrow window
  statusBar()->setContentsMargins(8, 0, 8, 0);
}

QString MainWindow::selectedMask() const {
  if (m_site->mode() == SiteMode::Dressed || m_site->mode() == SiteMode::Massing || m_plan->selection().size() != 1)
    return {};
  const Node* node = m_model.plan().find(m_plan->selection().first().toStdString());
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  return kind && kind->family == Family::Mask ? m_plan->selection().first() : QString();
}

void MainWindow::watchFiles() { m_watch.watch(m_model.document(), m_file, *m_service.files()); }

EvaluationService::Request MainWindow::requestFor(const PlanPtr& plan) const {
  EvaluationService::Request request;
  request.plan = plan;
  request.edition = m_model.edition();
  request.quality = m_quality;
  request.inSite = m_inSite.toStdString();
  request.isPoints = m_site->mode() == SiteMode::Points;
  request.isCover = m_site->mode() == SiteMode::Cover;
  request.isMassing = m_site->mode() == SiteMode::Massing;
  request.exploded = m_site->exploded();
  request.areCutsShown = m_site->areCutsShown();
  request.hidden = m_site->hidden();
  request.colorByNumber = m_site->colorNumber().toStdString();
  (m_site->mode() == SiteMode::Mask ? request.maskOnGround : request.colorBy) = selectedMask().toStdString();
  return request;
}

void MainWindow::evaluate() {
  watchFiles();
  m_service.request(requestFor(m_model.snapshot()));
}

bool MainWindow::isFrameReady(double frame) {
  const PlanPtr plan = m_model.snapshotAt(frame, false);
  return plan && m_service.isReady(requestFor(plan));
}

/// While it plays: the next frame of those to come that is not ready yet.
std::optional<EvaluationService::Request> MainWindow::nextFrame() {
  const auto& time = m_model.document().settings.time;
  if (!time || !m_time->isPlaying()) return {};
  const int frames = time->last - time->first + 1;
  const int now = static_cast<int>(std::floor(momentOf(m_model.document()).frame)) - time->first;
  for (int ahead = 1; ahead < frames; ++ahead) {
    const int frame = time->first + (now + ahead) % frames;
    if (frame - time->first < now && !m_time->isLooping()) return {};
    if (!isFrameReady(frame)) return requestFor(m_model.snapshotAt(frame));
  }
  return {};
}

/// Said on the cards, in Site and below once it takes long enough to be read.
void MainWindow::showWork() {
  if (!m_progress->isVisible()) return;
  m_progress->setValue(static_cast<int>(m_work.share * 1000));
  updateTitle();
  m_progress->setToolTip(m_work.what);
  if (!m_work.what.isEmpty()) m_message->setText(tr("working on %1").arg(m_work.what));
  m_plan->showWork(m_work.nodes);
  m_site->showWork(!m_work.props.isEmpty() ? m_work.props
                   : m_work.what.isEmpty() ? QString()
                                           : tr("working on %1").arg(m_work.what));
}

void MainWindow::endWork() {
  m_progressDelay.stop();
  m_progress->hide();
  m_cancel->hide();
  m_work = {};
  updateTitle();
  m_plan->showWork({});
  m_site->showWork({});
}

void MainWindow::showResults() {
  const EvalViewPtr view = m_service.latest();
  endWork();
  m_message->setText(m_said.isEmpty() ? said(m_service.files()->cacheNote()) : m_said);
  if (m_time->isPlaying()) {  // the picture alone keeps up
    m_site->showResults(view);
    return;
  }
  watchFiles();  // what was opened beside the named ones is known now
  m_plan->showResults(view);
  m_bench->showResults(view);
  m_kit->showResults(view);
  m_ledger->showResults(view);
  m_schedule->showResults(view);
  m_site->showResults(view);
  m_masks.request(view, m_bench->node());
  showTouches(view);
  const bool isWrong = !view->unread.empty() || !view->plan->origin.problems.empty();
  if (std::exchange(m_isJustOpened, false) && isWrong)
    openMissing();
  else if (m_missing && m_missing->isVisible())
    m_missing->showFiles(view->unread, folder());
  const QLocale locale;
  std::size_t loose = 0;
  for (const Node* node : openEndsOf(view->opened()))
    if (const PointsPtr points = view->evaluation.firstOf<PointsPtr>(node->uid)) loose += points->count;
  if (m_said.isEmpty() && loose > 0)
    m_message->setText(
        tr("no Output yet: %1 points are not exported").arg(locale.toString(static_cast<qulonglong>(loose))));
  const auto triangles = static_cast<qulonglong>(view->totals.triangles);
  const double millions = static_cast<double>(triangles) / 1e6;
  const QString quality = view->quality == Quality::Draft ? tr("draft") : tr("final");
  m_counts->setText(tr("%1 placed (%2) · %3 triangles · %4 ms · %5 MB")
                        .arg(locale.toString(static_cast<qulonglong>(view->totals.placements)), quality,
                             triangles < 100'000
                                 ? locale.toString(triangles)
                                 : tr("%1 M").arg(locale.toString(millions, 'f', millions < 10 ? 2 : 1)),
                             locale.toString(view->evaluation.milliseconds, 'f', 0),
                             locale.toString(static_cast<double>(view->cacheBytes) / 1e6, 'f', 0)));
  for (const Problem& p : view->evaluation.opened->problems) m_message->setText(QStringLiteral("! ") + lineOf(p));
  updateBudget();
  const Node* mask = m_model.plan().find(selectedMask().toStdString());
  m_site->setMaskTitle(mask ? text(mask->title) : QString());
}

void MainWindow::say(const QString& words) {
  m_said = words;
  m_message->setText(words);
}

/// Undo and redo act in every field and window of ours, where a field would take their keys for itself. Only text that
/// is being typed has an undo of its own.
bool MainWindow::takeUndoKey(QWidget* widget, QKeyEvent* event) {
  // What is asked in between comes first, and where keys are given to commands they are only named.
  if (QApplication::activeModalWidget()) return false;
  const QWidget* top = widget;
  while (top && top != this && !qobject_cast<const QKeySequenceEdit*>(top)) top = top->parentWidget();
  if (top != this) return false;
  const QKeySequence keys(event->keyCombination());
  QAction* action = nullptr;
  for (QAction* a : {m_undoAction, m_redoAction})
    if (a->shortcuts().contains(keys)) action = a;
  if (!action) return false;
  event->accept();
  if (event->type() != QEvent::KeyPress) return true;
  auto* line = qobject_cast<QLineEdit*>(widget);
  auto* note = qobject_cast<QPlainTextEdit*>(widget);
  const bool isTyping = (line && line->isModified() && line->isUndoAvailable()) ||
                        (note && note->document()->isModified() && note->document()->isUndoAvailable());
  if (!isTyping) {
    action->trigger();
  } else if (action == m_redoAction) {
    line ? line->redo() : note->redo();
  } else if (auto* number = qobject_cast<NumberField*>(line)) {
    number->putBack();
  } else {
    line ? line->undo() : note->undo();
  }
  return true;
}

bool MainWindow::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() == QEvent::ShortcutOverride || event->type() == QEvent::KeyPress)
    if (auto* widget = qobject_cast<QWidget*>(watched))
      if (takeUndoKey(widget, static_cast<QKeyEvent*>(event))) return true;
  if (watched == m_planTab && event->type() == QEvent::DragEnter) {
    auto* drag = static_cast<QDragEnterEvent*>(event);
    if (!propsIn(drag->mimeData()).isEmpty()) {
      showKit(false);
      drag->acceptProposedAction();
      return true;
    }
  }
  return QMainWindow::eventFilter(watched, event);
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
  const Node* first = selection.isEmpty() ? nullptr : m_model.plan().find(selection.first().toStdString());
  const bool isOneKind = first && std::all_of(selection.begin(), selection.end(), [&](const QString& uid) {
                           const Node* n = m_model.plan().find(uid.toStdString());
                           return n && n->kind == first->kind && n->subPlan == first->subPlan;
                         });
  m_bench->showNodes(isOneKind ? selection : QStringList());
  m_time->showKeysOf(selection);
  m_ledger->narrowTo(selection.size() == 1 ? selection.first() : QString());
  if (!m_service.isOpening()) m_masks.request(m_service.latest(), m_bench->node());
  updateTool();
  if (m_site->mode() == SiteMode::Points || m_site->mode() == SiteMode::Mask) evaluate();
}

void MainWindow::updateTool() {
  const QStringList selection = m_plan->selection();
  m_site->setTool(selection.size() == 1 ? makeSiteTool(&m_model, selection.first(), m_service.files()) : nullptr);
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
  QString words;
  if (!m_toolHint.isEmpty())
    words = m_toolHint;
  else if (now == m_site)
    words = hint({{"site_why", tr("why here")},
                  {"site_compare", tr("compare")},
                  {nullptr, tr("middle drag orbits")},
                  {"site_walk", tr("walk")},
                  {"site_fit", tr("all")}});
  else
    words = hint({{"plan_skip", tr("skip")},
                  {"site_in_site", tr("in Site")},
                  {"plan_rename", tr("rename")},
                  {"plan_add", tr("add")},
                  {"help_manual", tr("manual")}});
  m_leftHint->setText(m_left->currentIndex() == 1 ? tr("drop mesh files here")
                                                  : hint({{"plan_add", tr("adds")}, {"plan_find", tr("finds")}}));
  m_keys->setHints(words);
  const std::size_t overlaps = m_site->tool() ? m_site->tool()->overlaps() : 0;
  m_overlaps->setVisible(overlaps > 0);
  m_overlaps->setText(tr("%1 overlap").arg(QLocale().toString(static_cast<qulonglong>(overlaps))));
}

void MainWindow::answerWhy(const Vec3& spot, const QString& node, quint64 id, float radius) {
  const EvalViewPtr view = m_service.latest();
  if (!view) return;
  constexpr std::size_t kMostLines = 200;
  m_why.ask([this, view, spot, node = node.toStdString(), id, radius](const Task& task) -> std::function<void()> {
    const WhyHere here = whyHere(view->opened(), view->evaluation, view->quality, spot, radius, kMostLines, task);
    const std::vector<WhyStep> story = node.empty()
                                           ? std::vector<WhyStep>()
                                           : storyOf(view->opened(), view->evaluation, view->quality, node, id, task);
    if (task.isCancelled()) return {};
    return [this, view, here, story, radius] {
      m_site->whyPanel().showAnswer(view->opened(), here, story, radius);
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

void MainWindow::openMissing() {
  if (!m_missing) {
    m_missing = new MissingWindow(&m_model, this);
    m_missing->setAttribute(Qt::WA_ShowWithoutActivating);  // what is typed meanwhile goes where it was going
    connect(m_missing, &MissingWindow::tryAgainWanted, this, &MainWindow::evaluate);
    connect(m_missing, &MissingWindow::allowWanted, this, [this](const QString& folder) {
      Settings().allowFolder(m_file, folder);
      allowFolders();
      evaluate();
    });
  }
  const EvalViewPtr view = m_service.isOpening() ? nullptr : m_service.latest();
  m_missing->showFiles(view ? view->unread : std::vector<UnreadFile>(), folder());
  m_missing->show();
}

void MainWindow::openManual() {
  const QStringList selection = m_plan->selection();
  const Node* node = selection.size() == 1 ? m_model.plan().find(selection.first().toStdString()) : nullptr;
  if (!m_manual) m_manual = new ManualWindow(this);
  if (node && node->made.kind)
    m_manual->showKind(node->made.kind);
  else
    m_manual->showPage(node ? text(node->kind) : QString());
  m_manual->show();
  m_manual->raise();
}

void MainWindow::openExport() {
  auto* window = new ExportWindow(m_model.snapshot(), m_file, m_service.files(), this);
  if (!m_service.isOpening()) window->showResults(m_service.latest());
  // The plan may be at work still; what is edited later is not what this window exports.
  connect(&m_service, &EvaluationService::finished, window, [this, window, plan = m_model.snapshot()] {
    if (m_service.latest()->plan == plan) window->showResults(m_service.latest());
  });
  window->show();
}

void MainWindow::openTiles() {
  auto* window = new TilesWindow(
      m_file,
      [this] {
        const bool isSaved = !m_file.isEmpty() && m_model.undoStack().isClean();
        return isSaved || save() ? m_file : QString();
      },
      this);
  window->show();
}

void MainWindow::setTheme(const QString& choice) {
  Settings().setTheme(choice);
  Theme::apply(*qApp, choice);
  for (QWidget* w : findChildren<QWidget*>()) w->update();
}

void MainWindow::showEvent(QShowEvent* event) {
  QMainWindow::showEvent(event);
  // Panes take their shares of the room that the window has, which is known when it is shown.
  if (!std::exchange(m_isArranged, true)) m_panes.arrange(Arrangement::SiteLarge);
}

void MainWindow::resizeEvent(QResizeEvent* event) {
  QMainWindow::resizeEvent(event);
  updateKeys();
}

/// As large as is usual, or as the screen allows.
void MainWindow::fitScreen() {
  const QSize room = screen() ? screen()->availableSize() : QSize(1280, 800);
  resize(QSize(1280, 800).boundedTo(room));
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
    addFile(path, isImageFile(path) ? "terrain" : "mesh-file");
  }
}

void MainWindow::addFile(const QString& path, const char* kind) {
  m_model.undoStack().beginMacro(tr("Add %1").arg(QFileInfo(path).fileName()));
  const QString uid = m_plan->addAt(*findNodeKind(kind), m_plan->inSight().center());
  m_model.rename(uid, QFileInfo(path).completeBaseName());
  m_model.setParam(uid, "file", (m_file.isEmpty() ? path : QDir(folder()).relativeFilePath(path)).toStdString());
  m_model.undoStack().endMacro();
  showKit(false);
  m_plan->select({uid});
  m_plan->setFocus();
}

void MainWindow::beginWithGround() {
  const QString path = QFileDialog::getOpenFileName(
      this, tr("Ground: a height image or a mesh"), folder(),
      tr("Height images and meshes (*.png *.tif *.tiff *.exr *.jpg *.jpeg *.glb *.gltf *.obj *.ply *.stl *.fbx);;"
         "All files (*)"));
  if (!path.isEmpty()) addFile(path, isImageFile(path) ? "terrain" : "mesh-file");
}

void MainWindow::beginWithLayout() {
  const QString path = QFileDialog::getOpenFileName(this, tr("Layout: points of a table, or what stands in a scene"),
                                                    folder(),
                                                    tr("Tables and scenes (*.csv *.ply *.glb *.gltf);;All files (*)"));
  const QString ending = QFileInfo(path).suffix().toLower();
  if (!path.isEmpty())
    addFile(path, ending == QStringLiteral("csv") || ending == QStringLiteral("ply") ? "point-file" : "markers");
}

/// While there is no plan, what one can begin with lies over Site.
void MainWindow::updateStart() {
  const bool isEmpty = m_file.isEmpty() && m_model.document().nodes.empty() && m_model.document().paper.empty();
  if (isEmpty == m_start->isVisibleTo(m_site)) return;
  if (isEmpty) m_start->refresh();
  m_start->setVisible(isEmpty);
  m_start->raise();
}

}  // namespace arvesk
