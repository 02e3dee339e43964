#include "app/window/autosave.h"

#include "core/formats/plan_file.h"

#include <QDir>
#include <QFile>
#include <QStandardPaths>

namespace arvesk {

Autosave::Autosave(PlanModel* model, QObject* parent) : QObject(parent), m_model(model), m_file(fileFor({})) {
  m_timer.setSingleShot(true);
  m_timer.setInterval(15'000);
  connect(&m_timer, &QTimer::timeout, this, &Autosave::saveNow);
  connect(m_model, &PlanModel::changed, this, [this] {
    if (!m_timer.isActive() && !m_model->undoStack().isClean()) m_timer.start();
  });
}

QString Autosave::fileFor(const QString& path) {
  if (!path.isEmpty()) return path + QStringLiteral("-autosave");
  const QString folder = QStandardPaths::writableLocation(QStandardPaths::AppLocalDataLocation);
  QDir().mkpath(folder);
  return QDir(folder).filePath(QStringLiteral("untitled.arvesk-autosave"));
}

void Autosave::setFile(const QString& path) {
  m_timer.stop();
  m_file = fileFor(path);
}

void Autosave::saveNow() {
  if (m_model->undoStack().isClean()) return;
  Plan copy = m_model->plan();
  copy.isReadOnly = false;
  (void)savePlan(copy,
                 m_file.toStdString());  // a full disk must not interrupt work; the next try comes with the next change
}

void Autosave::discard() {
  m_timer.stop();
  QFile::remove(m_file);
}

}  // namespace arvesk
