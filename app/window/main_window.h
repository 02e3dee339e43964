// The main window: Plan and Kit at the left, Site in the middle, Bench below, menus, status line, and the document's
// life.
#pragma once

#include "app/bench/bench_view.h"
#include "app/kit/kit_view.h"
#include "app/ledger/ledger_view.h"
#include "app/model/file_watch.h"
#include "app/model/worker.h"
#include "app/plan/plan_view.h"
#include "app/schedule/schedule_view.h"
#include "app/site/site_view.h"
#include "app/window/commands.h"
#include "app/window/elided_label.h"
#include "app/window/manual_window.h"
#include "app/window/missing_window.h"
#include "app/window/panes.h"
#include "app/window/recovery.h"

#include <QElapsedTimer>
#include <QMainWindow>

class QLabel;
class QProgressBar;
class QPushButton;
class QStackedWidget;
class QToolButton;

namespace arvesk {

class BudgetBar;
class PathLine;
class StartPage;
class TimeLine;

class MainWindow : public QMainWindow {
  Q_OBJECT

 public:
  MainWindow();
  ~MainWindow() override;

  bool openFile(const QString& path);
  /// Also when it is where the plan is saved: asks when that was written by others meanwhile.
  bool saveTo(const QString& path);
  /// Asks about what windows that are no more left behind unsaved.
  void offerLeftBehind();
  QString file() const { return m_file; }
  PlanModel& model() { return m_model; }
  PlanView& planView() { return *m_plan; }
  SiteView& site() { return *m_site; }
  BenchView& bench() { return *m_bench; }
  LedgerView& ledger() { return *m_ledger; }
  ScheduleView& schedule() { return *m_schedule; }
  KitView& kit() { return *m_kit; }
  EvaluationService& service() { return m_service; }
  PlanPictureService& masks() { return m_masks; }
  void showKit(bool isKit);
  enum class Bottom { Bench, Ledger, Schedule };
  void showBottom(Bottom which);
  void orderTabs();
  void openContactSheet();
  void setQuality(Quality quality);
  void openExport();
  void openTiles();

 protected:
  void closeEvent(QCloseEvent* event) override;
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void buildLeft();
  void buildBottom();
  using Keys = QList<QKeySequence>;
  // A command on a menu; its keys act everywhere, or only while the view has the focus.
  QAction* add(QMenu* menu, const QString& words, const Keys& keys, const char* name, std::function<void()> what);
  QAction* inPlan(QMenu* menu, const QString& words, const Keys& keys, const char* name, std::function<void()> what);
  QAction* inSite(QMenu* menu, const QString& words, const Keys& keys, const char* name, std::function<void()> what);
  void buildMenus();
  void buildFileMenus();
  void buildPlanMenu();
  void buildSiteMenu();
  void buildViewMenus();
  void buildQuality();
  void connectViews();
  void buildStatus();
  EvaluationService::Request requestFor(const PlanPtr& plan) const;
  bool isFrameReady(double frame);
  std::optional<EvaluationService::Request> nextFrame();
  void evaluate();
  void watchFiles();
  void showResults();
  void showWork();
  void endWork();
  void addFile(const QString& path, const char* kind);
  void beginWithGround();
  void beginWithLayout();
  void updateStart();
  /// Of the plan as it is outputs and all; null where something else is shown.
  QImage ownPicture() const;
  void updateTitle();
  void updateSelection();
  void updateBudget();
  /// Copy and Select all mean rows while the Ledger has the focus, else cards.
  bool isInLedger() const;
  void setInSite(const QString& uid);
  /// In the message line, until the next edit.
  void say(const QString& words);
  bool takeUndoKey(QWidget* widget, QKeyEvent* event);
  void openMissing();
  /// Those that are remembered for the plan.
  void allowFolders();
  QString folder() const;
  void setFile(const QString& path);
  /// Nothing was opened, made or changed in it.
  bool isUntouched() const;
  bool mayGoOn();  // asks about unsaved changes
  bool mayReplace(const QString& path);
  bool offer(std::vector<KeptWork> works);
  bool takeBack(const KeptWork& work);
  MainWindow* newWindow();
  void showPlan(Plan plan, const QString& path, std::string onDisk);
  void newPlan();
  void open();
  bool save();
  bool saveAs();
  void fillRecent();
  void setTheme(const QString& choice);
  void fitScreen();
  void showEvent(QShowEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void openCameras();
  void openPicture();
  void openHistory();
  QString proposedFile() const;
  void goToCamera(int index);
  QString selectedMask() const;
  void updateTool();
  void takeBrush(const char* job);
  /// Selected placements become points of the hand, and back.
  void takeOver();
  void giveBackToRules();
  /// Touch-ups: how they stand in the results, and what is left of the commands for them.
  void connectTouching();
  /// At once, or after a question where that would put touch-ups to sleep.
  void nextSeed();
  void askNextSeed();
  void selectOverlaps();
  void touchCell(const QString& uid, quint64 id, const std::string& what, const QString& written);
  void touchNextCell();
  void showTouches(const EvalViewPtr& view);
  // The library of sub-plans.
  static QString ownLibrary();
  void readLibrary();
  void keepInLibrary(const std::string& subPlan);
  void addLibraryFolder();
  /// Those that are read, before `another`; the user's further ones can be left away.
  void listLibraryFolders(QMenu& menu, QAction& another);
  /// Which sub-plans of the plan have later versions in the library; said once.
  void tellLater();
  void compareLater(const std::string& subPlan);
  void updateKeys();
  /// "K skip · F2 rename": what some commands do, with the keys that they have now; mouse words have no command.
  QString hint(const std::vector<std::pair<const char*, QString>>& parts) const;
  /// Works out why things are as they are at a spot and shows it in Site.
  void answerWhy(const Vec3& spot, const QString& node, quint64 id, float radius);
  void openManual();

  PlanModel m_model;
  EvaluationService m_service;
  PlanPictureService m_masks;
  Recovery m_recovery;
  Commands m_commands;
  QString m_file;
  std::string m_onDisk;  // what stood in it when it was opened or saved here last
  QString m_said;
  QString m_inSite;
  Quality m_quality = Quality::Draft;

  PlanView* m_plan = nullptr;
  PathLine* m_path = nullptr;
  TimeLine* m_time = nullptr;
  KitView* m_kit = nullptr;
  SiteView* m_site = nullptr;
  BenchView* m_bench = nullptr;
  LedgerView* m_ledger = nullptr;
  ScheduleView* m_schedule = nullptr;
  Worker m_why;
  Worker m_taking;
  Worker m_standing;  // of touch-ups
  Worker m_seeding;
  Worker m_library;
  int m_seedsAsked = 0;                                          // presses of Next seed that are not done yet
  std::vector<std::function<void(const EvalViewPtr&)>> m_cells;  // written over, and done one after the other
  Worker m_cellWriting;
  FileWatch m_watch;
  ManualWindow* m_manual = nullptr;
  MissingWindow* m_missing = nullptr;
  bool m_isJustOpened = false;  // its first results tell what is missing
  QString m_toolHint;
  StartPage* m_start = nullptr;
  QStackedWidget* m_left = nullptr;
  QStackedWidget* m_bottom = nullptr;
  Panes m_panes{this};
  bool m_isArranged = false;
  QToolButton* m_planTab = nullptr;
  QToolButton* m_kitTab = nullptr;
  QToolButton* m_benchTab = nullptr;
  QToolButton* m_ledgerTab = nullptr;
  QToolButton* m_scheduleTab = nullptr;
  QLabel* m_leftHint = nullptr;
  QLabel* m_benchHeading = nullptr;
  QPushButton* m_draft = nullptr;
  QPushButton* m_final = nullptr;
  QMenu* m_later = nullptr;  // versions in the library
  QStringList m_toldLater;
  QMenu* m_recent = nullptr;
  QAction* m_undoAction = nullptr;
  QAction* m_redoAction = nullptr;
  QLabel* m_counts = nullptr;
  BudgetBar* m_budget = nullptr;
  QLabel* m_message = nullptr;
  HintLine* m_keys = nullptr;
  QToolButton* m_overlaps = nullptr;  // how many the brush has found
  QProgressBar* m_progress = nullptr;
  QToolButton* m_cancel = nullptr;
  QTimer m_progressDelay;
  WorkNow m_work;
  Worker m_pictureWorker;  // keeps small pictures for the start page
};

}  // namespace arvesk
