// The document's life in the window: new, open, save, what was left behind unsaved, and closing.
#include "app/model/words.h"
#include "app/window/main_window.h"
#include "app/window/recovery_window.h"
#include "app/window/settings.h"
#include "app/window/start_page.h"
#include "core/base/safe_file.h"
#include "core/formats/plan_file.h"
#include "core/plan/plan_paths.h"

#include <QCloseEvent>
#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QLabel>
#include <QMenu>
#include <QMessageBox>
#include <QProgressBar>
#include <QStandardPaths>

namespace arvesk {
namespace {

bool isSameFile(const QString& a, const QString& b) {
  const QString there = QFileInfo(a).canonicalFilePath();  // empty for one that is not there
  return a == b || (!there.isEmpty() && there == QFileInfo(b).canonicalFilePath());
}

}  // namespace

QString MainWindow::folder() const { return m_file.isEmpty() ? QString() : QFileInfo(m_file).absolutePath(); }

void MainWindow::updateTitle() {
  const QString name = m_file.isEmpty() ? tr("untitled.arvesk") : QFileInfo(m_file).fileName();
  // How far work is can be read in the task bar too.
  const bool isLong = m_progress && m_progress->isVisible();
  const QString title = tr("%1[*] – Arvesk").arg(name);
  setWindowTitle(isLong ? tr("%1 % · %2").arg(static_cast<int>(m_work.share * 100)).arg(title) : title);
  setWindowModified(!m_model.undoStack().isClean());
}

void MainWindow::setFile(const QString& path) {
  m_file = path;
  m_service.setFolder(folder());
  allowFolders();
  m_bench->setFolder(folder());
  m_model.setFolder(folder().toStdString());
  m_kit->setFolder(folder());
  m_recovery.setFile(path);
  if (!path.isEmpty()) Settings().addRecentFile(QFileInfo(path).absoluteFilePath());
  updateTitle();
}

void MainWindow::allowFolders() {
  std::vector<std::string> folders;
  for (const QString& allowed : Settings().allowedFolders(m_file)) folders.push_back(allowed.toStdString());
  m_service.files()->setAllowed(std::move(folders));
}

bool MainWindow::isUntouched() const { return m_file.isEmpty() && !isWindowModified() && m_model.document() == Plan{}; }

bool MainWindow::mayGoOn() {
  if (m_model.undoStack().isClean()) {
    m_recovery.discard();  // of steps that were undone since
    return true;
  }
  QMessageBox box(
      QMessageBox::NoIcon, tr("Unsaved changes"),
      tr("Save the changes to %1 first?").arg(m_file.isEmpty() ? tr("the new plan") : QFileInfo(m_file).fileName()),
      QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, this);
  box.setObjectName(QStringLiteral("unsaved_box"));
  const int answer = box.exec();
  if (answer == QMessageBox::Save) return save();
  if (answer != QMessageBox::Discard) return false;
  m_recovery.discard();
  return true;
}

bool MainWindow::takeBack(const KeptWork& work) {
  auto plan = loadPlan(work.versions.front().file.toStdString());
  if (!plan) {
    QMessageBox::warning(this, tr("Unsaved work"), lineOf(plan.error()));
    return false;
  }
  if (!m_recovery.takeOver(work)) {
    QMessageBox::warning(this, tr("Unsaved work"), tr("Another window has taken it back already."));
    return false;
  }
  // What was saved stands before it, so that undo leads back there.
  Plan saved;
  std::string onDisk;
  if (!work.plan.isEmpty())
    if (auto there = loadPlan(work.plan.toStdString())) {
      saved = std::move(*there);
      onDisk = saved.origin.text ? *saved.origin.text : std::string();
    }
  showPlan(std::move(saved), work.plan, std::move(onDisk));
  m_model.edit(tr("Unsaved work taken back"), [&](Plan& p) { p = *plan; });
  return true;
}

/// False when nothing was taken back.
bool MainWindow::offer(std::vector<KeptWork> works) {
  if (works.empty()) return false;
  RecoveryWindow box(std::move(works), this);
  box.exec();
  if (!box.chosen()) return false;
  const bool isHere = isUntouched() || (m_file == box.chosen()->plan && m_model.undoStack().isClean());
  MainWindow* window = isHere ? this : newWindow();
  return window->takeBack(*box.chosen());
}

void MainWindow::offerLeftBehind() {
  std::vector<KeptWork> works = Recovery::leftBehind();
  // What belongs to the open plan was offered when it was opened.
  std::erase_if(works, [&](const KeptWork& work) { return !m_file.isEmpty() && isSameFile(work.plan, m_file); });
  offer(std::move(works));
}

MainWindow* MainWindow::newWindow() {
  auto* window = new MainWindow;
  window->setAttribute(Qt::WA_DeleteOnClose);
  window->move(pos() + QPoint(32, 32));
  window->QWidget::show();
  return window;
}

void MainWindow::showPlan(Plan plan, const QString& path, std::string onDisk) {
  setInSite({});
  m_site->select({});
  m_site->showHidden();
  if (path.isEmpty()) Settings().forgetFolders(path);  // one new plan's folders are not the next one's
  setFile(path);
  m_onDisk = std::move(onDisk);
  m_isJustOpened = true;
  if (m_missing) m_missing->hide();
  m_model.reset(std::move(plan));
  m_plan->setFocus();  // so that Enter adds at once
}

void MainWindow::newPlan() {
  if (mayGoOn()) showPlan({}, {}, {});
}

void MainWindow::open() {
  const QString path = QFileDialog::getOpenFileName(this, tr("Open a plan"), folder(),
                                                    tr("Plans (*.arvesk);;All files (*)"));
  if (!path.isEmpty()) openFile(path);
}

bool MainWindow::openFile(const QString& path) {
  if (!mayGoOn()) return false;
  std::vector<KeptWork> works = Recovery::leftBehind();
  std::erase_if(works, [&](const KeptWork& work) { return !isSameFile(work.plan, path); });
  if (!works.empty()) {
    RecoveryWindow box(std::move(works), this);
    box.exec();
    if (box.chosen()) return takeBack(*box.chosen());
  }
  auto plan = loadPlan(path.toStdString());
  if (!plan) {
    QMessageBox::warning(this, tr("The plan cannot be opened"), lineOf(plan.error()));
    return false;
  }
  const bool isReadOnly = plan->isReadOnly;
  std::string onDisk = plan->origin.text ? *plan->origin.text : std::string();
  showPlan(std::move(*plan), path, std::move(onDisk));
  if (isReadOnly) say(tr("Written by a newer version: open read-only, save it under another name"));
  return true;
}

/// Asks when what stands there is not what was opened or saved here last.
bool MainWindow::mayReplace(const QString& path) {
  const auto now = readWhole(path.toStdString(), kLargestPlan);
  if (!now || *now == m_onDisk) return true;  // gone, or as it was
  QMessageBox box(
      QMessageBox::NoIcon, tr("The file has changed"),
      tr("%1 was written by another program or window since it was opened here. Saving replaces what stands "
         "there now.")
          .arg(QFileInfo(path).fileName()),
      QMessageBox::NoButton, this);
  box.setObjectName(QStringLiteral("changed_box"));
  QAbstractButton* replace = box.addButton(tr("Replace it"), QMessageBox::DestructiveRole);
  QAbstractButton* beside = box.addButton(tr("Save as…"), QMessageBox::AcceptRole);
  box.addButton(QMessageBox::Cancel);
  box.exec();
  if (box.clickedButton() == beside) saveAs();
  return box.clickedButton() == replace;
}

bool MainWindow::saveTo(const QString& path) {
  const bool isSame = path == m_file;
  if (isSame && !mayReplace(path)) return m_model.undoStack().isClean();
  Plan plan = m_model.document();
  if (!isSame) plan.isReadOnly = false;
  const std::string from = folder().toStdString();
  const std::string to = QFileInfo(path).absolutePath().toStdString();
  rebasePaths(plan, from, to);
  const auto written = savePlan(plan, path.toStdString());
  if (!written) {
    QMessageBox::warning(this, tr("The plan was not saved"), lineOf(written.error()));
    return false;
  }
  m_onDisk = *written;
  m_recovery.discard();
  for (const QString& allowed : Settings().allowedFolders(m_file)) Settings().allowFolder(path, allowed);
  setFile(path);
  // What undo brings back must find its files from here too.
  m_model.changeAll([&](Plan& p) {
    rebasePaths(p, from, to);
    if (!isSame) p.isReadOnly = false;
  });
  m_model.undoStack().setClean();
  m_pictureWorker.ask([path, picture = ownPicture()](const Task&) -> Worker::Answer {
    StartPage::keepPicture(path, picture);
    return {};
  });
  say(tr("saved"));
  return true;
}

QImage MainWindow::ownPicture() const {
  const EvalViewPtr view = m_service.latest();
  const bool isWhole = m_site->mode() == SiteMode::Dressed && m_inSite.isEmpty() && view && view->scene;
  return isWhole ? m_site->picture() : QImage();
}

bool MainWindow::save() { return m_file.isEmpty() ? saveAs() : saveTo(m_file); }

/// Where the plan is; of a new one beside its first ground, by whose name it goes.
QString MainWindow::proposedFile() const {
  if (!m_file.isEmpty()) return m_file;
  for (const Node& node : m_model.document().nodes) {
    const auto param = node.params.find("file");
    const auto* file = param == node.params.end() ? nullptr : std::get_if<std::string>(&param->second);
    if (!file || file->empty() || !QFileInfo(text(*file)).isAbsolute()) continue;
    const QFileInfo info(text(*file));
    return info.dir().filePath(info.completeBaseName() + QStringLiteral(".arvesk"));
  }
  return QDir(QStandardPaths::writableLocation(QStandardPaths::DocumentsLocation)).filePath(tr("untitled.arvesk"));
}

bool MainWindow::saveAs() {
  QString path = QFileDialog::getSaveFileName(this, tr("Save the plan as"), proposedFile(), tr("Plans (*.arvesk)"));
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

void MainWindow::closeEvent(QCloseEvent* event) {
  if (QWidget* typing = focusWidget())
    typing->clearFocus();  // enters what was typed, so that it is asked about and saved
  if (!mayGoOn()) {
    event->ignore();
    return;
  }
  StartPage::keepPicture(m_file, ownPicture());  // small, and there is no later
  Settings().setWindow(saveGeometry(), m_panes.state());
  m_service.cancel();
  event->accept();
}

}  // namespace arvesk
