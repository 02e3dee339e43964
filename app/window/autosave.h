// Autosave: the plan beside its file (or in the user's data folder) while there are unsaved changes; found again after
// a crash.
#pragma once

#include "app/model/plan_model.h"

#include <QObject>
#include <QTimer>

namespace arvesk {

class Autosave : public QObject {
  Q_OBJECT

 public:
  explicit Autosave(PlanModel* model, QObject* parent = nullptr);
  void setFile(const QString& path);
  /// Where changes of `path` would be kept.
  static QString fileFor(const QString& path);
  /// Writes now, if there is something unsaved.
  void saveNow();
  /// Removes what was kept: the plan was saved, or its changes given up.
  void discard();

 private:
  PlanModel* m_model;
  QString m_file;
  QTimer m_timer;
};

}  // namespace arvesk
