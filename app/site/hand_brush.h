// The brush of nodes that keep points of the hand: adds, takes away, adjusts, sets one by one. A stroke is one undo
// step, and all of it is seen while it goes on: at once as outlines, as what it is when the picture has caught up.
#pragma once

#include "app/model/worker.h"
#include "app/site/site_tool.h"
#include "core/nodes/scatter/placed_by_hand.h"
#include "core/spatial/hand_brush.h"
#include "core/spatial/snaps.h"

#include <unordered_map>

namespace arvesk {

class HandBrush : public QObject, public SiteTool {
  Q_OBJECT

 public:
  HandBrush(PlanModel* model, QString uid, std::shared_ptr<FileService> files);
  QString hint() const override;
  bool isBrush() const override { return true; }
  bool press(const SitePointer& pointer, const SiteLens& lens) override;
  void drag(const SitePointer& pointer, const SiteLens& lens) override;
  void release() override;
  void hover(const SitePointer& pointer, const SiteLens& lens) override;
  bool wheel(double steps) override;
  bool takesWheelInDrag() const override { return m_settings.job == nodes::BrushJob::Single; }
  void paint(QPainter& painter, const SiteLens& lens) const override;
  void showResults(const EvalViewPtr& view) override;
  /// Footprints of this node's points that overlap each other or what the brush keeps clear of.
  std::size_t overlaps() const override { return m_overlaps; }
  SiteSelection overlapping() const override { return m_ready ? m_ready->overlapping : SiteSelection(); }
  bool takesAlt() const override { return m_settings.job == nodes::BrushJob::Single; }
  /// Has it all that it needs for a stroke?
  bool isReady() const { return m_ready != nullptr; }

 private:
  /// Ground that was pointed at, for nodes that have none connected, and where.
  struct GroundChoice {
    SurfacePtr surface;
    Vec3 place{0};
  };
  /// What a stroke begins with; made off the interface thread.
  struct Ready {
    nodes::PlacedByHandParams settings;
    HandPoints expected;   // what the plan has if nobody else changed it since
    bool isBound = false;  // to the ground that is connected
    BrushGround ground;
    HandPoints points;  // as they stand on this ground
    std::unique_ptr<BrushStroke> stroke;
    bool isBehind = false;  // points came or went that the stroke does not know of
    std::function<float(const HandPoint&)> radiusOf;
    std::map<std::string, Box3> boxes;                     // of props, by uid
    QString note;                                          // what of the settings does not hold, in words
    std::unordered_map<std::uint64_t, std::string> given;  // props of those that name none, by key
    std::size_t overlaps = 0;
    SiteSelection overlapping;
    Snaps snaps;
  };
  struct Mark {
    HandPoint point;
    std::string prop;     // its uid
    bool isGone = false;  // taken away
  };
  static Mark markOf(const HandPoint& point, const HandPoints& among);
  /// `whole`: the same plan in final quality, when the view is a draft, which does not have all that stands there.
  static std::unique_ptr<Ready> made(const EvalViewPtr& view, const Node& node,
                                     const std::shared_ptr<const GroundChoice>& on, std::uint64_t seed,
                                     const Evaluation* whole, const Task& task);
  void take(const std::shared_ptr<Ready>& ready);
  void readSettings();
  void prepare();
  bool isUsable() const;
  void follow(const SitePointer& pointer);
  void noteGround(const SitePointer& pointer);
  void choose(const SurfacePtr& ground);
  float radiusNow(const SitePointer& pointer) const;
  void dab(const Vec3& place, const SitePointer& pointer);
  void apply(const BrushDab& dab, bool begins);
  bool takesAway(const HandPoint& point) const;
  std::string kindOf(const HandPoint& point) const;
  void setOne();
  void setWaiting();
  void post(bool isLast);
  void addOutline(const HandPoint& point, const std::string& prop, const SiteLens& lens, QVector<QLineF>& lines) const;
  void drawReason(QPainter& painter, const SiteLens& lens) const;

  PlanModel* m_model;
  QString m_uid;
  std::shared_ptr<FileService> m_files;
  nodes::PlacedByHandParams m_settings;
  EvalViewPtr m_view;
  std::shared_ptr<const GroundChoice> m_on;
  std::shared_ptr<Ready> m_ready;
  bool m_isAsked = false;  // it is being made
  int m_number = 0;        // of the question that was asked last

  std::optional<Vec3> m_cursor;
  Vec3 m_normal = kUp;
  BrushRefusal m_refusal = BrushRefusal::None;
  std::optional<Snap> m_snap;
  std::optional<std::pair<HandPoint, std::string>> m_ghost;  // what a press would set here, and its prop
  std::size_t m_overlaps = 0;

  // The stroke under way.
  bool m_isDown = false;
  nodes::BrushJob m_job = nodes::BrushJob::Add;  // what this one does
  bool m_isUsable = false;                       // else its dabs wait until things are ready
  struct WaitingDab {
    BrushDab dab;
    nodes::BrushJob job;
    bool begins;  // a stroke
  };
  std::vector<WaitingDab> m_waiting;
  HandPoints m_now;                   // with what it did so far
  std::optional<std::string> m_kind;  // what it takes away of: uid of a prop
  std::vector<Mark> m_fresh;          // not in the picture yet
  std::optional<Vec3> m_last;
  Vec3 m_along{0};
  bool m_isFull = false;
  int m_stroke = 0;
  QElapsedTimer m_posted;

  // One by one.
  std::uint64_t m_turn = 0;
  float m_size = 1;
  std::optional<GroundPlace> m_setAt;
  struct One {
    GroundPlace at;
    float headingDeg;
    Vec2 tilt;
    float size;
    std::uint64_t turn;
  };
  std::vector<One> m_ones;  // let go of, and waiting like dabs
  QPointF m_pressedAt;
  HandPoints m_before;
  float m_headingDeg = 0;
  Vec2 m_tilt{0};

  Worker m_preparing;  // last, so that it ends first
};

}  // namespace arvesk
