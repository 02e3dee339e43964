// The library of sub-plans in the window: read at the start and when something is kept in it, off the interface thread.
#include "app/model/words.h"
#include "app/window/main_window.h"
#include "app/window/settings.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QStandardPaths>

namespace arvesk {
QString MainWindow::ownLibrary() {
  return QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + QStringLiteral("/sub-plans");
}

void MainWindow::readLibrary() {
  std::vector<LibraryFolder> folders{{ownLibrary().toStdString(), false}};
  for (const QString& folder : Settings().libraryFolders())
    folders.push_back({folder.toStdString(), !QFileInfo(folder).isWritable()});
  if (std::string shipped = shippedLibrary(); !shipped.empty()) folders.push_back({std::move(shipped), true});
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
                 folder = folder().toStdString()](const Task&) -> Worker::Answer {
    const auto file = arvesk::keepInLibrary(*plan, subPlan, into, folder);
    return [this, file] {
      say(file ? tr("kept in the library as %1").arg(QFileInfo(QString::fromStdString(*file)).fileName())
               : QStringLiteral("! ") + lineOf(file.error()));
      readLibrary();
    };
  });
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
