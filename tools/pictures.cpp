// arvesk-pictures FOLDER PLAN [--only NAME]: opens the plan in the application's own window, goes through the main
// views and saves a PNG of each, so that the documentation cannot show what the program does not.
#include "app/kit/prop_window.h"
#include "app/site/hand_brush.h"
#include "app/window/application.h"
#include "app/window/contact_sheet.h"
#include "app/window/export_window.h"
#include "app/window/main_window.h"
#include "app/window/settings.h"
#include "app/window/start_page.h"
#include "app/window/theme.h"

#include <QComboBox>
#include <QCommandLineParser>
#include <QDeadlineTimer>
#include <QDialog>
#include <QDir>
#include <QFileInfo>
#include <QLineEdit>
#include <QListWidget>
#include <QMouseEvent>
#include <QSettings>
#include <QStandardPaths>
#include <QTableView>
#include <QTableWidget>
#include <QThread>
#include <QToolButton>

#include <cstdio>

namespace arvesk {
namespace {

void waitUntil(const std::function<bool()>& isDone, int milliseconds) {
  QDeadlineTimer deadline(milliseconds);
  while (!isDone() && !deadline.hasExpired()) {
    QApplication::processEvents();
    QThread::msleep(5);  // else this loop takes a core from what it waits for
  }
}

class Photographer {
 public:
  Photographer(QApplication& app, QString folder, QString only)
      : m_app(app), m_folder(std::move(folder)), m_only(std::move(only)) {}

  bool wants(const char* name) const { return m_only.isEmpty() || m_only == QLatin1String(name); }
  /// By name: some are made only so.
  bool isAskedFor(const char* name) const { return m_only == QLatin1String(name); }
  /// Saves the window once all is at rest.
  void take(MainWindow& window, const char* name, int samples = 16, SiteMode mode = SiteMode::Dressed) {
    rest(window, samples);
    if (window.site().mode() != mode) fail("Site shows another mode");
    if (m_isFaulty)
      std::fprintf(stderr, "%s was not made\n", name);
    else
      save(window, name);
    m_isFaulty = false;  // the others may be sound
  }
  /// Waits for the results and a clean picture in Site.
  void rest(MainWindow& window, int samples) {
    // Results bring new pictures and pictures new results (a mode asks for its own): both are to be at rest.
    QDeadlineTimer deadline(900'000);  // on a machine that is busy with other things too
    int calm = 0;
    while (calm < 10 && !deadline.hasExpired()) {
      settle(30);
      const bool isCalm = !window.service().isBusy() && !window.masks().isBusy() && window.service().latest() &&
                          window.site().samplesShown() >= samples;
      calm = isCalm ? calm + 1 : 0;
    }
    if (calm < 10) fail("what is to be shown was not ready");
  }
  /// A picture that would show something else than its caption says is not made.
  void fail(const char* why) {
    std::fprintf(stderr, "! %s\n", why);
    m_hasFailed = m_isFaulty = true;
  }
  bool hasFailed() const { return m_hasFailed; }
  void settleResults(MainWindow& window) {
    settle(60);
    waitUntil(
        [&] {
          return !window.service().isBusy() && !window.masks().isBusy() && window.service().latest() &&
                 window.service().latest()->plan == window.model().snapshot();
        },
        60'000);
    settle(60);
  }
  void askWhy(MainWindow& window, QPointF share) {
    SiteView& site = window.site();
    site.startAsking();
    const QPointF at(site.width() * share.x(), site.height() * share.y());
    for (const QEvent::Type type : {QEvent::MouseButtonPress, QEvent::MouseButtonRelease}) {
      QMouseEvent event(type, at, site.mapToGlobal(at), Qt::LeftButton,
                        type == QEvent::MouseButtonPress ? Qt::LeftButton : Qt::NoButton, Qt::NoModifier);
      QApplication::sendEvent(&site, &event);
    }
    waitUntil([&] { return !site.whyPanel().answer().points.empty() || !site.whyPanel().answer().sources.empty(); },
              20'000);
  }
  void save(QWidget& widget, const char* name) {
    const QString path = QDir(m_folder).filePath(QLatin1String(name) + QStringLiteral(".png"));
    if (widget.grab().save(path))
      std::printf("%s\n", qPrintable(path));
    else
      fail(qPrintable(path + QStringLiteral(" could not be written")));
  }
  void settle(int milliseconds) {
    QDeadlineTimer deadline(milliseconds);
    while (!deadline.hasExpired()) QApplication::processEvents(QEventLoop::AllEvents, 20);
  }

 private:
  QApplication& m_app;
  QString m_folder;
  QString m_only;
  bool m_hasFailed = false;
  bool m_isFaulty = false;  // the picture that is being made
};

void lookFromFirstCamera(MainWindow& window) {
  const auto& first = window.model().plan().settings.cameras.front();
  window.site().setCamera(cameraFrom(first));
  window.planView().reveal(QStringLiteral("cove"));
}

void lookFrom(MainWindow& window, const char* camera) {
  for (const CameraEntry& c : window.model().plan().settings.cameras)
    if (c.name == camera) window.site().setCamera(cameraFrom(c));
}

/// Site in its modes.
void takeSite(Photographer& photographer, MainWindow& window) {
  if (photographer.wants("main")) {
    window.planView().select({QStringLiteral("no-cliff")});
    photographer.take(window, "main");
  }
  if (photographer.wants("overview")) {
    window.planView().select({});
    window.planView().fitAll();
    if (!window.planView().isOverview()) photographer.fail("the Plan is not seen as a whole");
    photographer.take(window, "overview");
    window.planView().reveal(QStringLiteral("cove"));
  }
  if (photographer.wants("points")) {
    lookFrom(window, "Dunes");
    window.site().setMode(SiteMode::Points);
    photographer.take(window, "points", 16, SiteMode::Points);
    window.site().setMode(SiteMode::Dressed);
    lookFromFirstCamera(window);
  }
  if (photographer.wants("cover")) {
    window.site().setMode(SiteMode::Cover);
    waitUntil([&] { return window.site().cover().map() != nullptr; }, 60'000);
    photographer.take(window, "cover", 0, SiteMode::Cover);
    window.site().setMode(SiteMode::Dressed);
  }
  if (photographer.wants("why")) {
    window.planView().select({});
    photographer.settleResults(window);
    photographer.askWhy(window, {0.36, 0.42});
    photographer.take(window, "why");
    Q_EMIT window.site().whyPanel().closed();
  }
  if (photographer.isAskedFor("in-site")) {
    Q_EMIT window.planView().inSiteWanted(QStringLiteral("steep-sand"));
    photographer.take(window, "in-site");
    Q_EMIT window.planView().inSiteWanted(QString());
  }
  if (photographer.wants("mask")) {
    lookFrom(window, "Dunes");
    window.planView().select({QStringLiteral("dry-drift")});
    window.site().setMode(SiteMode::Mask);
    photographer.take(window, "mask", 16, SiteMode::Mask);
    window.site().setMode(SiteMode::Dressed);
    lookFromFirstCamera(window);
  }
  if (photographer.wants("jetty")) {
    window.planView().reveal(QStringLiteral("layout-dress"));
    lookFrom(window, "Jetty");
    photographer.take(window, "jetty");
  }
  if (photographer.wants("fog")) {
    window.planView().reveal(QStringLiteral("low-fog"));
    for (const CameraEntry& c : window.model().plan().settings.cameras)
      if (c.name == "Fog") window.site().setCamera(cameraFrom(c));
    photographer.take(window, "fog");
  }
  if (photographer.isAskedFor("massing")) {
    window.site().setMode(SiteMode::Massing);
    for (const CameraEntry& c : window.model().plan().settings.cameras)
      if (c.name == "Jetty") window.site().setCamera(cameraFrom(c));
    photographer.take(window, "massing", 16, SiteMode::Massing);
    window.site().setMode(SiteMode::Dressed);
  }
  lookFromFirstCamera(window);
}

/// What stands beside and below it.
void takePanels(Photographer& photographer, MainWindow& window) {
  if (photographer.wants("ledger")) {
    lookFrom(window, "Fallen boulder");
    window.planView().reveal(QStringLiteral("debris-fan"));
    window.showBottom(MainWindow::Bottom::Ledger);
    photographer.settleResults(window);
    auto* filter = window.ledger().findChild<QLineEdit*>(QStringLiteral("ledger_filter"));
    filter->setText(QStringLiteral("neighbors > 6 and prop = boulder c/*"));
    photographer.settle(600);
    auto* table = window.ledger().findChild<QTableView*>(QStringLiteral("ledger_table"));
    table->setFocus();
    table->selectAll();
    for (int c = 0; c < table->model()->columnCount(); ++c)
      if (table->model()->headerData(c, Qt::Horizontal).toString() == QStringLiteral("meets"))
        table->scrollTo(table->model()->index(0, c), QAbstractItemView::PositionAtCenter);
    photographer.take(window, "ledger");
    window.ledger().selectPoints({});
    filter->clear();
    window.showBottom(MainWindow::Bottom::Bench);
  }
  if (photographer.wants("compare")) {
    lookFrom(window, "Dunes");
    window.planView().select({QStringLiteral("marram")});
    photographer.settleResults(window);
    window.site().toggleCompare();
    window.model().setParam(QStringLiteral("marram"), "density", 20.0);
    photographer.settleResults(window);
    photographer.take(window, "compare");
    photographer.settle(6000);
    photographer.save(window, "compare");
    window.site().toggleCompare();
    window.model().undoStack().undo();
    lookFromFirstCamera(window);
  }
  if (photographer.isAskedFor("manual")) {
    window.planView().select({QStringLiteral("steep-sand")});
    auto* action = window.findChild<QAction*>(QStringLiteral("help_manual"));
    action->trigger();
    auto* manual = window.findChild<ManualWindow*>(QStringLiteral("manual_window"));
    waitUntil([&] { return manual->hasPicture(); }, 20'000);
    photographer.save(*manual, "manual");
    manual->close();
  }
  if (photographer.wants("schedule")) {
    window.planView().reveal(QStringLiteral("rocks"));
    window.showBottom(MainWindow::Bottom::Schedule);
    photographer.settleResults(window);
    waitUntil([&] { return !window.schedule().isBusy(); }, 120'000);
    auto* faults = window.schedule().findChild<QTableWidget*>(QStringLiteral("standing_faults"));
    if (faults->rowCount() > 0) faults->selectRow(0);
    photographer.take(window, "schedule");
    window.showBottom(MainWindow::Bottom::Bench);
  }
  lookFromFirstCamera(window);
  if (photographer.isAskedFor("find")) {
    window.planView().select({QStringLiteral("steep-sand")});
    window.planView().openFindField();
    photographer.take(window, "find");
    window.planView().findField()->hide();
  }
}

void takeKit(Photographer& photographer, MainWindow& window) {
  if (photographer.wants("kit") || photographer.isAskedFor("prop")) {
    window.planView().select({QStringLiteral("marram-props")});
    window.showKit(true);
    waitUntil([&] { return window.service().thumbnails().size() >= window.model().plan().props.size(); }, 240'000);
    auto* list = window.kit().findChild<QListWidget*>(QStringLiteral("kit_list"));
    for (int i = 0; i < list->count(); ++i)
      if (list->item(i)->data(Qt::UserRole).toString() == QStringLiteral("mooring-post")) list->setCurrentRow(i);
    if (photographer.wants("kit")) photographer.take(window, "kit");
    if (photographer.isAskedFor("prop")) {
      for (int i = 0; i < list->count(); ++i)
        if (list->item(i)->data(Qt::UserRole).toString() == QStringLiteral("dinghy")) list->setCurrentRow(i);
      window.kit().findChild<QToolButton*>(QStringLiteral("mounts"))->click();
      auto* prop = window.findChild<PropWindow*>(QStringLiteral("prop_window"));
      prop->findChild<QTableWidget*>(QStringLiteral("mount_table"))->selectRow(1);
      photographer.settle(6000);
      photographer.save(*prop, "prop");
      prop->close();
    }
    window.showKit(false);
  }
}

/// Windows of their own.
void takeDialogs(Photographer& photographer, MainWindow& window, const QString& plan) {
  if (photographer.isAskedFor("keys")) {
    window.findChild<QAction*>(QStringLiteral("help_keys"))->trigger();
    auto* keys = window.findChild<QDialog*>(QStringLiteral("key_window"));
    photographer.save(*keys, "keys");
    keys->close();
  }
  if (photographer.wants("export")) {
    auto* dialog = new ExportWindow(window.model().snapshot(), plan, window.service().files(), &window);
    dialog->showResults(window.service().latest());
    // No path of the machine that makes the picture.
    dialog->findChild<QLineEdit*>(QStringLiteral("export_path"))->setText(QStringLiteral("tern-cove.glb"));
    dialog->show();
    photographer.settle(200);
    photographer.save(*dialog, "export");
    dialog->close();
  }
}

/// What only examples have: a region's handles, a body that is filled, and a cut into it. False when one cannot be
/// opened.
bool takeExamples(Photographer& photographer, MainWindow& window, const QString& plan) {
  const auto open = [&](const QString& file, const char* shown) {
    if (!window.openFile(file)) return false;
    photographer.settleResults(window);
    const auto& cameras = window.model().plan().settings.cameras;
    if (!cameras.empty()) window.site().setCamera(cameraFrom(cameras.front()));
    window.planView().reveal(QLatin1String(shown));
    photographer.settleResults(window);
    return true;
  };
  const QDir examples(QFileInfo(plan).absoluteDir().absoluteFilePath(QStringLiteral("../examples")));
  bool isAway = false;
  if (photographer.wants("touching")) {
    isAway = true;
    if (!open(examples.filePath(QStringLiteral("by-hand.arvesk")), "stone-touch")) return false;
    lookFrom(window, "Stones");
    window.planView().select({QStringLiteral("stone-touch")});
    photographer.rest(window, 16);
    // What was moved, and two beside it.
    SiteView& site = window.site();
    SiteSelection chosen;
    for (const PictureLayer& layer : window.service().latest()->shown)
      for (std::size_t i = 0; i < layer.points->count && layer.source == "beach"; ++i)
        if (glm::distance(layer.points->position[i], Vec3(-0.4F, 0.5F, 4.3F)) < 5)
          chosen[layer.source] = chosen[layer.source].with(IdSet{layer.points->id[i]});
    site.select(chosen);
    waitUntil([&] { return site.touching()->hasHandles(); }, 60'000);
    if (!site.touching()->hasHandles() || site.touching()->count() < 2)
      photographer.fail("nothing is selected to touch");
    photographer.take(window, "touching");
    site.select({});
  }
  if (photographer.wants("brush")) {
    isAway = true;
    if (!open(examples.filePath(QStringLiteral("by-hand.arvesk")), "wood")) return false;
    lookFrom(window, "Beach");
    window.planView().select({QStringLiteral("wood")});
    photographer.rest(window, 16);
    SiteView& site = window.site();
    const auto* brush = dynamic_cast<HandBrush*>(site.tool());
    waitUntil([&] { return brush && brush->isReady(); }, 60'000);
    if (!brush || !brush->isReady()) photographer.fail("the brush has nothing to lie on");
    const QPointF at(site.width() * 0.14, site.height() * 0.75);
    QMouseEvent move(QEvent::MouseMove, at, site.mapToGlobal(at), Qt::NoButton, Qt::NoButton, Qt::NoModifier);
    QApplication::sendEvent(&site, &move);
    photographer.take(window, "brush");
  }
  if (photographer.wants("cut")) {
    isAway = true;
    if (!open(examples.filePath(QStringLiteral("gorse.arvesk")), "solid")) return false;
    window.planView().select({QStringLiteral("solid")});
    Q_EMIT window.planView().inSiteWanted(QStringLiteral("solid"));
    photographer.settleResults(window);
    window.site().toggleCut();
    photographer.take(window, "cut");
    window.site().toggleCut();
    Q_EMIT window.planView().inSiteWanted(QString());
  }
  if (photographer.wants("time")) {
    isAway = true;
    if (!open(examples.filePath(QStringLiteral("regatta.arvesk")), "flags-spring")) return false;
    lookFrom(window, "Regatta");
    window.planView().select({QStringLiteral("sweep")});
    for (int frame = 44; frame <= 60; ++frame) {  // those before it are ready then
      window.model().setFrame(frame);
      photographer.settleResults(window);
    }
    photographer.take(window, "time");
  }
  if (photographer.wants("sheet")) {  // of one tool alone: what is varied fills the pictures
    isAway = true;
    const QDir tools(QFileInfo(plan).absoluteDir().absoluteFilePath(QStringLiteral("../sub-plans")));
    if (!open(tools.filePath(QStringLiteral("ragged-patches.arvesk")), "shown")) return false;
    photographer.settle(500);
    window.openContactSheet();
    auto* sheet = window.findChild<ContactSheet*>(QStringLiteral("contact_sheet"));
    const auto choose = [&](const char* name, const QString& words) {
      auto* list = sheet->findChild<QComboBox*>(QLatin1String(name));
      const int at = list->findText(words);
      if (at < 0) return photographer.fail("the sheet has not what is to be varied");
      list->setCurrentIndex(at);
      Q_EMIT list->activated(at);
    };
    choose("sheet_target", QStringLiteral("Ragged patches of one kind each: Patches apart"));
    choose("sheet_second", QStringLiteral("and Ragged patches of one kind each: Ragged"));
    waitUntil([&] { return sheet->pictureCount() >= 9; }, 300'000);
    photographer.save(*sheet, "sheet");
    sheet->close();
  }
  if (photographer.wants("inside")) {
    if (isAway && !open(QFileInfo(plan).absoluteFilePath(), "cove")) return false;
    isAway = false;
    for (const CameraEntry& c : window.model().plan().settings.cameras)
      if (c.name == "Wreck") window.site().setCamera(cameraFrom(c));
    window.model().enter(QStringLiteral("wreck"));
    photographer.settle(200);
    window.planView().select({QStringLiteral("wk-hit")});
    photographer.settleResults(window);
    photographer.take(window, "inside");
    window.model().leave(0);
  }
  return !isAway || open(QFileInfo(plan).absoluteFilePath(), "cove");
}

int makePictures(QApplication& app, const QString& plan, const QString& folder, const QString& only) {
  QStandardPaths::setTestModeEnabled(true);
  QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope,
                     QDir::tempPath() + QStringLiteral("/arvesk-pictures"));
  QSettings().clear();
  QDir().mkpath(folder);
  Photographer photographer(app, folder, only);
  MainWindow window;
  window.resize(1280, 800);
  window.show();
  if (!window.openFile(QFileInfo(plan).absoluteFilePath())) return 1;
  waitUntil([&] { return window.service().latest() != nullptr; }, 60'000);
  takeSite(photographer, window);
  takePanels(photographer, window);
  takeKit(photographer, window);
  takeDialogs(photographer, window, plan);
  if (!takeExamples(photographer, window, plan)) return 1;
  if (photographer.wants("starts"))
    for (const QString& shipped : StartPage::shippedPlans()) {
      if (!window.openFile(shipped)) return 1;
      photographer.rest(window, 16);
      if (!StartPage::shipPicture(shipped, window.site().picture())) return 1;
    }
  if (photographer.isAskedFor("start")) {
    MainWindow empty;
    empty.resize(1280, 800);
    empty.show();
    photographer.settle(400);
    photographer.save(empty, "start");
  }
  if (photographer.isAskedFor("night")) {
    Theme::apply(app, QStringLiteral("night"));
    window.planView().select({QStringLiteral("no-cliff")});
    photographer.take(window, "night");
  }
  return photographer.hasFailed() ? 1 : 0;
}

}  // namespace
}  // namespace arvesk

int main(int argc, char** argv) {
  arvesk::Application app(argc, argv);
  QCommandLineParser parser;
  parser.setApplicationDescription(QStringLiteral("Makes the pictures of the documentation."));
  parser.addHelpOption();
  parser.addPositionalArgument(QStringLiteral("folder"), QStringLiteral("Where they go"));
  parser.addPositionalArgument(QStringLiteral("plan"), QStringLiteral("The plan to show (.arvesk)"));
  const QCommandLineOption only(QStringLiteral("only"), QStringLiteral("Just this one."), QStringLiteral("name"));
  parser.addOption(only);
  parser.process(app);
  if (parser.positionalArguments().size() != 2) parser.showHelp(2);
  arvesk::Theme::apply(app, QStringLiteral("paper"));
  return arvesk::makePictures(app, parser.positionalArguments().value(1), parser.positionalArguments().value(0),
                              parser.value(only));
}
