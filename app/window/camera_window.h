// Cameras: those that the plan keeps, with a picture of each, to go to, rename, renew, order and remove.
#pragma once

#include "app/model/evaluation_service.h"
#include "app/model/plan_model.h"
#include "core/picture/film.h"

#include <QDialog>

class QListWidget;
class QToolButton;

namespace arvesk {

class CameraWindow : public QDialog {
  Q_OBJECT

 public:
  /// `now` gives where Site looks from.
  CameraWindow(PlanModel* model, EvaluationService* service, std::function<Camera()> now, QWidget* parent = nullptr);

 Q_SIGNALS:
  void cameraWanted(int index);

 protected:
  void keyPressEvent(QKeyEvent* event) override;

 private:
  void refresh();
  void drawNext();
  void move(int by);
  void edit(const QString& words, const std::function<void(std::vector<CameraEntry>&, std::size_t)>& change);
  int row() const;

  PlanModel* m_model;
  EvaluationService* m_service;
  std::function<Camera()> m_now;
  QListWidget* m_list;
  std::vector<QToolButton*> m_buttons;
  std::vector<CameraEntry> m_shown;  // as the list has them
  std::vector<CameraEntry> m_drawn;  // that there are pictures of
  std::shared_ptr<const PictureScene> m_scene;
  Worker m_worker;
};

/// The camera as a plan keeps it; with its light when that is wanted.
CameraEntry entryOf(const Camera& camera, const std::string& name, const std::optional<CameraEntry::Sun>& sun);

}  // namespace arvesk
