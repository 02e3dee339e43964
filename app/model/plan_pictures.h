// Small pictures of the plan's masks and beds and of what the selected node makes, and distributions of masks, made
// after each evaluation on a thread of their own: the picture of the plan does not wait for them.
#pragma once

#include "app/model/evaluation_service.h"
#include "app/model/made_facts.h"
#include "core/spatial/rooms.h"

namespace arvesk {

struct PlanPicture {
  QImage
      picture;  // of a mask over the largest ground; of what a bed or the selected node places. From above; may be null
  QString note;             // of a mask whose picture shows nothing: why
  QImage before;            // what the selected node was given, in the same frame; null when it makes points itself
  std::vector<Fact> facts;  // about what the selected node makes
  std::vector<std::vector<Vec3>> areas;  // that it sees: the rims of patches and clumps, laid on the ground
  PointsPtr footprints;                  // whose room it is about
  RoomRule rooms{RoomShape::Disc};       // and what shape that has
  std::map<std::string, std::vector<NameCount>> names;  // what its texts may name, by parameter
  std::optional<Band> bandForProps;                     // of a mask that measures from points with props
  std::shared_ptr<const Histogram> histogram;  // over all points that the mask's first user gets; null: not asked for
};
/// By uid of the mask, the bed or the selected node.
using PlanPictures = std::map<std::string, PlanPicture>;
using PlanPicturesPtr = std::shared_ptr<const PlanPictures>;

class PlanPictureService : public QObject {
  Q_OBJECT

 public:
  /// Where names in files are looked up.
  void setFiles(std::shared_ptr<FileService> files) { m_files = std::move(files); }
  /// Pictures of all masks and beds, what is told of the selected node, and the distribution of a selected mask, which
  /// asks it at every point. Those of an earlier evaluation stay until the new ones are there. Nothing happens before
  /// the first view.
  void request(const EvalViewPtr& view, const QString& selected);
  /// Another plan was opened: its masks may be called the same.
  void clear();
  PlanPicturesPtr latest() const { return m_latest; }
  bool isBusy() const { return m_worker.isBusy(); }

 Q_SIGNALS:
  void ready();

 private:
  PlanPicturesPtr make(const EvalView& view, const std::string& selected, const Task& task);

  PlanPicturesPtr m_latest = std::make_shared<const PlanPictures>();
  struct Made {  // what a preview was made of: only a changed mask is drawn anew
    MaskPtr mask;
    SurfacePtr ground;
    std::optional<Camera> camera;  // by which the ground is seen; none: from above
    PointsPtr points;
    PlanPicture preview;
  };
  std::map<std::string, Made> m_made;  // the worker only
  struct Seen {                        // a picture of points from above
    std::vector<PointsPtr> points;
    SurfacePtr ground;
    QRectF frame;
    QImage picture;
    bool isOf(const Seen& o) const { return points == o.points && ground == o.ground && frame == o.frame; }
  };
  std::map<std::string, Seen> m_seenBeds;  // as above
  void look(Seen& now, const Seen* before, const Task& task) const;
  std::shared_ptr<FileService> m_files;
  Worker m_worker;
};

}  // namespace arvesk
