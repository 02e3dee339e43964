// The library of sub-plans in the window: read at the start and when something is kept in it, off the interface thread.
#include "app/model/pictures.h"
#include "app/model/words.h"
#include "app/site/site_view.h"
#include "app/window/contact_sheet.h"
#include "app/window/main_window.h"
#include "app/window/settings.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QMenu>
#include <QStandardPaths>

namespace arvesk {
namespace {

/// The user's own, further ones, and that of the program.
std::vector<LibraryFolder> libraryFolders(const QString& own) {
  std::vector<LibraryFolder> folders{{own.toStdString(), false}};
  for (const QString& folder : Settings().libraryFolders())
    folders.push_back({folder.toStdString(), !QFileInfo(folder).isWritable()});
  if (std::string shipped = shippedLibrary(); !shipped.empty()) folders.push_back({std::move(shipped), true});
  return folders;
}

}  // namespace

QString MainWindow::ownLibrary() {
  return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + QStringLiteral("/sub-plans");
}

void MainWindow::readLibrary() {
  const std::vector<LibraryFolder> folders = libraryFolders(ownLibrary());
  m_library.ask([this, folders](const Task&) -> Worker::Answer {
    const auto library = std::make_shared<const Library>(arvesk::readLibrary(folders));
    return [this, library] {
      m_model.setLibrary(library);
      for (const Problem& p : library->problems)
        if (p.severity != Severity::Note) say(QStringLiteral("! ") + lineOf(p));
    };
  });
}

void MainWindow::keepInLibrary(const std::string& subPlan) {
  m_library.ask([this, subPlan, plan = m_model.snapshot(), into = ownLibrary().toStdString(),
                 folder = folder().toStdString(), picture = ownPicture()](const Task&) -> Worker::Answer {
    const auto file = arvesk::keepInLibrary(*plan, subPlan, into, folder);
    // What Site shows is the tool at work, as its author looks at it.
    if (file && !picture.isNull()) filling(picture, QSize(420, 240)).save(pictureBeside(QString::fromStdString(*file)));
    return [this, file] {
      say(file ? tr("kept in the library as %1").arg(QFileInfo(QString::fromStdString(*file)).fileName())
               : QStringLiteral("! ") + lineOf(file.error()));
      readLibrary();
    };
  });
}

void MainWindow::tellLater() {
  m_later->clear();
  QStringList names;
  for (const LaterVersion& v : laterVersions(m_model.document(), m_model.library())) {
    const QString name = text(m_model.document().findSubPlan(v.subPlan)->name);
    names << name;
    m_later->addAction(tr("%1: version %2, here %3…").arg(name).arg(v.there).arg(v.has), this,
                       [this, subPlan = v.subPlan] { compareLater(subPlan); });
  }
  m_later->setEnabled(!names.isEmpty());
  if (!names.isEmpty() && names != m_toldLater)
    say(tr("the library has later versions: %1 · Plan › Later versions").arg(names.join(QStringLiteral(", "))));
  m_toldLater = names;
}

void MainWindow::compareLater(const std::string& subPlan) {
  const LibraryToolPtr later = m_model.library().find(subPlan);
  if (!later) return;
  (new ContactSheet(&m_model, m_service.files(), m_site->camera(),
                    versionAxis(m_model.document(), later, folder().toStdString()), this))
      ->show();
}

void MainWindow::listLibraryFolders(QMenu& menu, QAction& another) {
  for (QAction* action : menu.actions())
    if (action != &another) delete action;
  const QStringList further = Settings().libraryFolders();
  for (const LibraryFolder& folder : libraryFolders(ownLibrary())) {
    const QString path = text(folder.path);
    auto* shown = new QAction(folder.isReadOnly ? tr("%1 · read only").arg(path) : path, &menu);
    shown->setCheckable(true);
    shown->setChecked(true);
    shown->setEnabled(further.contains(path));
    connect(shown, &QAction::triggered, this, [this, path] {
      QStringList left = Settings().libraryFolders();
      left.removeAll(path);
      Settings().setLibraryFolders(left);
      readLibrary();
      say(tr("%1 is no library any more; its files stay").arg(path));
    });
    menu.insertAction(&another, shown);
  }
  menu.insertSeparator(&another);
}

void MainWindow::addLibraryFolder() {
  const QString folder = QFileDialog::getExistingDirectory(this, tr("Folder of sub-plans"));
  if (folder.isEmpty()) return;
  QStringList folders = Settings().libraryFolders();
  if (!folders.contains(folder)) folders.push_back(folder);
  Settings().setLibraryFolders(folders);
  readLibrary();
}

}  // namespace arvesk
