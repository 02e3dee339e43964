// Small pictures and distributions of the plan's masks, made after each evaluation on a thread of their own: the
// picture of the plan does not wait for them.
#pragma once

#include "app/model/evaluation_service.h"

namespace arvesk {

struct MaskPreview {
  QImage picture;                              // over the largest ground, seen from above; null without one
  std::shared_ptr<const Histogram> histogram;  // over all points that the mask's first user gets; null: not asked for
};
/// By uid of the mask.
using MaskPreviews = std::map<std::string, MaskPreview>;
using MaskPreviewsPtr = std::shared_ptr<const MaskPreviews>;

class MaskPreviewService : public QObject {
  Q_OBJECT

 public:
  /// Pictures of all masks and the distribution of the selected one, which asks it at every point. Those of an earlier
  /// evaluation stay until the new ones are there. Nothing happens before the first view.
  void request(const EvalViewPtr& view, const QString& selected);
  /// Another plan was opened: its masks may be called the same.
  void clear();
  MaskPreviewsPtr latest() const { return m_latest; }
  bool isBusy() const { return m_worker.isBusy(); }

 Q_SIGNALS:
  void ready();

 private:
  MaskPreviewsPtr make(const EvalView& view, const std::string& selected, const Task& task);

  MaskPreviewsPtr m_latest = std::make_shared<const MaskPreviews>();
  struct Made {  // what a preview was made of: only a changed mask is drawn anew
    MaskPtr mask;
    SurfacePtr ground;
    PointsPtr points;
    MaskPreview preview;
  };
  std::map<std::string, Made> m_made;  // the worker only
  Worker m_worker;
};

}  // namespace arvesk
