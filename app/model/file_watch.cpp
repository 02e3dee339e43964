#include "app/model/file_watch.h"

#include "core/plan/plan_paths.h"

#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QSet>

namespace arvesk {

FileWatch::FileWatch(QObject* parent) : QObject(parent) {
  m_settled.setSingleShot(true);
  m_settled.setInterval(250);
  const auto changed = [this](const QString& path) {
    if (!m_changed.contains(path)) m_changed.push_back(path);
    m_settled.start();
  };
  connect(&m_watcher, &QFileSystemWatcher::fileChanged, this, changed);
  // Programs save by renaming a new file over the old one: the folder tells of it when the file's own watch has gone.
  connect(&m_watcher, &QFileSystemWatcher::directoryChanged, this, [this, changed](const QString& folder) {
    for (const QString& path : std::as_const(m_wanted))
      if (QFileInfo(path).absolutePath() == folder && QFile::exists(path) && !m_watcher.files().contains(path))
        changed(path);
  });
  connect(&m_settled, &QTimer::timeout, this, [this] {
    addPaths();
    const QStringList paths = std::exchange(m_changed, {});
    if (!paths.isEmpty()) Q_EMIT filesChanged(paths);
  });
}

void FileWatch::watch(const Plan& plan, const QString& file, const DiskFileService& service) {
  QSet<QString> files;
  const QDir folder(file.isEmpty() ? QString() : QFileInfo(file).absolutePath());
  if (!file.isEmpty()) files.insert(QFileInfo(file).absoluteFilePath());
  for (const NamedFile& named : namedFiles(plan)) {
    files.insert(QDir::cleanPath(folder.absoluteFilePath(QString::fromStdString(named.path))));
    for (const std::string& side : service.sidesOf(named.path)) files.insert(QString::fromStdString(side));
  }
  QStringList wanted(files.begin(), files.end());
  wanted.sort();
  if (wanted == m_wanted) return;
  m_wanted = wanted;
  const QStringList old = m_watcher.files() + m_watcher.directories();
  if (!old.isEmpty()) m_watcher.removePaths(old);
  addPaths();
}

void FileWatch::addPaths() {
  QStringList missing;
  const QStringList now = m_watcher.files() + m_watcher.directories();
  for (const QString& path : std::as_const(m_wanted)) {
    if (QFile::exists(path) && !now.contains(path)) missing.push_back(path);
    const QString folder = QFileInfo(path).absolutePath();
    if (QFile::exists(folder) && !now.contains(folder) && !missing.contains(folder)) missing.push_back(folder);
  }
  if (!missing.isEmpty()) m_watcher.addPaths(missing);
}

}  // namespace arvesk
