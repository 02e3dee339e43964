// Watches the files that a plan reads, so that what another program saves is seen at once.
#pragma once

#include "core/formats/file_service.h"
#include "core/plan/document.h"

#include <QFileSystemWatcher>
#include <QObject>
#include <QTimer>

namespace arvesk {

class FileWatch : public QObject {
  Q_OBJECT

 public:
  explicit FileWatch(QObject* parent = nullptr);
  /// Watches the plan's own file (where it has one), all that it names, and those that `service` opened with them.
  void watch(const Plan& plan, const QString& file, const DiskFileService& service);

 Q_SIGNALS:
  /// A little after the last of a run of changes, when the writer is likely done.
  void filesChanged(const QStringList& paths);

 private:
  void addPaths();

  QFileSystemWatcher m_watcher;
  QTimer m_settled;
  QStringList m_wanted;
  QStringList m_changed;
};

}  // namespace arvesk
