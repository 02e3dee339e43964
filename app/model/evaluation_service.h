// Evaluates the plan on a thread of its own: a new request cancels the one in flight, when that takes long. Everything
// the views need comes ready made, so that the interface thread never computes.
#pragma once

#include "app/model/plan_model.h"
#include "app/model/worker.h"
#include "app/site/site_selection.h"
#include "core/deliver/cover.h"
#include "core/deliver/delivery.h"
#include "core/deliver/unread_files.h"
#include "core/deliver/volume_look.h"
#include "core/formats/file_service.h"
#include "core/plan/prop_check.h"

#include <QElapsedTimer>
#include <QImage>
#include <QObject>

#include <atomic>
#include <mutex>

namespace arvesk {

/// One evaluation and what was made of it.
struct EvalView {
  PlanPtr plan;
  std::size_t request = 0;  // the number of the one that it answers
  bool isGrowing = false;   // of what is done so far; nodes without a report are still to come
  Quality quality = Quality::Draft;
  Evaluation evaluation;
  PlanTotals totals;
  std::size_t cacheBytes = 0;
  PictureScenePtr scene;                  // null when nothing is to be seen
  std::vector<PointsPtr> bare;            // points without props, drawn as discs
  std::vector<PictureLayer> shown;        // all points that are shown and not ghosts
  std::vector<Array<float>> pointValues;  // 0…1 for each of them, to color by; empty when nothing is chosen
  std::string colorTitle;                 // what colors them
  float colorFrom = 0;                    // what 0 and 1 stand for
  float colorTo = 1;
  std::set<std::string> colorNames;          // numbers that they could be colored by
  std::vector<Vec3> palette;                 // sRGB; when colored by what they belong to, values are places in it
  std::vector<std::string> groups;           // what each color of the palette stands for
  std::shared_ptr<const VolumeLook> volume;  // when one is in Site
  std::shared_ptr<const CoverMap> cover;     // when it was asked for
  std::string inSite;
  std::vector<PropPtr> props;
  std::map<std::string, std::vector<PropWarning>> propWarnings;     // by uid
  std::map<std::string, std::shared_ptr<const FileSplits>> splits;  // what the props' files can be split into, by uid
  std::vector<UnreadFile> unread;

  /// The plan with its sub-plans opened: what `evaluation` is about, and what leads from a point to where it was made.
  const Plan& opened() const { return evaluation.opened ? evaluation.opened->plan : *plan; }
};
using EvalViewPtr = std::shared_ptr<const EvalView>;

/// In place of a number's name: what points belong to. No attribute is called so.
inline constexpr const char* kByOutput = "*output";
inline constexpr const char* kByProp = "*prop";

/// What an evaluation is at.
struct WorkNow {
  double share = 0;                     // of all nodes, those that are done
  QString what;                         // the newest: "Dunes", "Dunes: reading dunes.tif"
  QString props;                        // "3 of 36 props, reading kale.glb"; empty while none is made
  std::map<std::string, AtWork> nodes;  // those at work, by uid

  bool operator==(const WorkNow&) const = default;
};

class FrameStore;

class EvaluationService : public QObject {
  Q_OBJECT

 public:
  explicit EvaluationService(QObject* parent = nullptr);
  ~EvaluationService() override;

  struct Request {
    PlanPtr plan;
    Quality quality = Quality::Draft;
    std::string inSite;         // uid, or empty
    std::string maskOnGround;   // uid of a mask to show on the ground, or empty
    bool isPoints = false;      // points as discs in place of props
    std::string colorBy;        // uid of a mask that colors the discs, or empty
    std::string colorByNumber;  // or a number that the points carry
    bool isCover = false;
    bool isMassing = false;     // boxes and footprints in place of props
    float exploded = 0;         // how far placements are moved apart
    bool areCutsShown = false;  // of pieces, in a color of their own
    SiteHidden hidden;          // what Site leaves away
    std::size_t edition = 0;    // of the plan: of those that are alike in it, only the frames differ
    std::size_t number = 0;     // given when it is asked for
    /// Another plan at most, shown in the same way.
    bool isSameLook(const Request& other) const;
  };
  void request(Request request);
  /// What answers a request, worked out here and now, for whoever has a thread of its own; null after a cancel. `last`
  /// is the scene before, whose traced part is used again where it can be.
  static EvalViewPtr viewOf(const Request& request, const std::shared_ptr<DiskFileService>& files,
                            PictureScenePtr& last, const Task& task);
  void cancel();
  /// Another plan was opened: until its first evaluation is finished, what is done so far is shown.
  void beginPlan();
  void setFolder(const QString& folder);
  std::shared_ptr<DiskFileService> files() { return m_files; }
  EvalViewPtr latest() const { return m_latest; }
  /// With what was asked for; frames that are worked out ahead do not count.
  bool isBusy() const { return (m_worker.isBusy() && !m_ahead) || m_isDelivering; }
  /// Asked whenever there is nothing else to do: the next frame that should be ready before somebody asks for it.
  void setAhead(std::function<std::optional<Request>()> next);
  /// Is what answers the request there already?
  bool isReady(const Request& request) const;
  /// latest() is of the plan before, or null.
  bool isOpening() const { return m_isOpening; }

  /// Small pictures of props, by uid; they come one by one after an evaluation.
  const std::map<std::string, QImage>& thumbnails() const { return m_thumbnails; }

 Q_SIGNALS:
  void thumbnailReady(const QString& propUid);
  void grew(const EvalViewPtr& soFar);   // only until the first finished() of a plan
  void passed(const EvalViewPtr& view);  // of a plan that was edited since: the next one is being worked out
  void started();
  void progressed(const WorkNow& now);
  void finished();  // latest() is new
  void wasCancelled();
  void frameReady();                 // one more, shown or ahead
  void failed(const QString& line);  // latest() is as it was

 private:
  /// What an opening plan has so far; written while it is evaluated, read by the one who shows it.
  struct Opening {
    Request request;
    std::mutex mutex;
    Evaluation soFar;
    std::size_t news = 0;
    std::size_t shown = 0;
    QElapsedTimer lastShown;  // the interface thread only
    bool isWaiting = false;   // to be shown again; the interface thread only
  };
  using OpeningPtr = std::shared_ptr<Opening>;
  struct WorkNews;
  template <typename Change>
  void tell(const std::shared_ptr<WorkNews>& news, Change change);
  EvalViewPtr compute(const Request& request, const OpeningPtr& opening, const Task& task);
  void showSoFar(const OpeningPtr& opening);
  void finish(const Request& request, const EvalViewPtr& view);
  void workAhead();
  void checkProps(EvalView& view, const Task& task);
  void drawThumbnails(const EvalViewPtr& view);

  std::shared_ptr<DiskFileService> m_files;
  EvalViewPtr m_latest;
  std::map<std::string, QImage> m_thumbnails;
  OpeningPtr m_opening;  // null when a plan was evaluated once
  bool m_isOpening = true;
  Request m_lastAsked;
  std::unique_ptr<FrameStore> m_frames;
  std::optional<Request> m_ahead;  // what is being worked out though nobody asked for it yet
  std::function<std::optional<Request>()> m_nextAhead;
  bool m_isDelivering = false;             // what is ready already, in a moment
  std::atomic<bool> m_isFollowing = true;  // see kPasses
  PictureScenePtr m_growingScene;          // the growing worker only
  // What follows is touched by the worker only.
  struct Checked {
    PropPtr prop;  // as it was then
    std::vector<PropWarning> warnings;
    std::shared_ptr<const FileSplits> splits;
  };
  std::map<std::string, Checked> m_checked;
  PictureScenePtr m_lastScene;             // what it traces is used again when only light or mask change
  std::map<std::string, PropPtr> m_drawn;  // which prop a thumbnail was made of; the thumbnails' worker only

  Worker m_worker;
  Worker m_thumbnailWorker;
  Worker m_growingWorker;
};

}  // namespace arvesk
