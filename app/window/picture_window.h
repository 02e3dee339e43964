// Save picture: what Site shows, in any size, from where it looks now, from a camera that is kept, or from all of them.
#pragma once

#include "app/model/render_service.h"

#include <QDialog>

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QProgressBar;
class QPushButton;
class QSpinBox;

namespace arvesk {

class FrameChoice;

class PictureWindow : public QDialog {
  Q_OBJECT

 public:
  /// `site` is what Site shows now; its view has a scene. `stem` is the plan's name, `folder` where its pictures would
  /// go.
  PictureWindow(RenderRequest site, QString folder, QString stem, QWidget* parent = nullptr);
  /// Offers a picture of each frame of the plan's time. `viewAt` works one out, on the window's own thread; null after
  /// a cancel.
  using ViewAt = std::function<EvalViewPtr(int frame, const Task& task)>;
  void offerFrames(ViewAt viewAt);

 Q_SIGNALS:
  void saved(const QStringList& files);

 private:
  struct Shot {
    Camera camera;
    QString file;
    std::optional<int> frame{};
  };
  std::vector<Shot> shots();
  Camera::Lens lensOf(const Camera& camera) const;
  /// Asks where files are there already.
  bool mayWriteOver(const std::vector<Shot>& all);
  std::vector<Shot> framesOf(const std::vector<Shot>& shots);
  void save();
  void drawNext();
  void end(const QString& words);

  RenderRequest m_site;
  QString m_folder;
  QString m_stem;
  ViewAt m_viewAt;
  QComboBox* m_camera;
  FrameChoice* m_frames = nullptr;
  QSpinBox* m_width;
  QSpinBox* m_height;
  QSpinBox* m_samples;
  QComboBox* m_lens;
  QDoubleSpinBox* m_focus;
  QProgressBar* m_progress;
  QLabel* m_message;
  QPushButton* m_save;
  QPushButton* m_cancel;
  std::vector<Shot> m_shots;
  std::size_t m_done = 0;
  Worker m_worker;
};

}  // namespace arvesk
