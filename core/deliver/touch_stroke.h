// A stroke of the brush over placements that rules made: takes away, keeps or adjusts those under it, as touch-ups.
// Without a window: it is given dabs and gives back touch-ups.
#pragma once

#include "core/deliver/touching.h"
#include "core/spatial/hand_brush.h"
#include "core/spatial/point_grid.h"

#include <unordered_map>

namespace arvesk {

/// What strokes over the placements of one Touch-ups begin with. Never changed, so that many share it.
class TouchScene {
 public:
  /// `node` is a Touch-ups of the plan that was evaluated; null where it has no points.
  static std::shared_ptr<const TouchScene> of(const Plan& plan, const Evaluation& evaluation, const Node& node);

 private:
  friend class TouchStroke;
  PointsPtr in;                                                 // as rules made them
  PointsPtr points;                                             // as they stand
  std::vector<std::pair<std::uint64_t, std::uint32_t>> places;  // of ids among `in`, rising: let go of in no time
  std::unordered_map<std::uint64_t, TouchTarget> alone;         // kept ones that stand without their points
  PointGrid grid;                                               // of `points`
  GroundUnder ground;
  TouchGroup group;  // the node; its targets are those of each stroke
};

class TouchStroke {
 public:
  enum class Job { Adjust, Remove, Keep };
  /// Which ones goes for what removes and keeps.
  TouchStroke(std::shared_ptr<const TouchScene> scene, Job job, BrushAdjust how, BrushMeets which = BrushMeets::All)
      : m_scene(std::move(scene)), m_job(job), m_how(how), m_which(which) {}
  /// True when it changed something.
  bool add(const BrushDab& dab);
  /// What was there before, with what the stroke did so far.
  TouchUps touches(const TouchUps& before) const;
  /// Where the placements that it changed stand now.
  std::vector<Vec3> places() const;

 private:
  struct Touched {
    TouchTarget target;
    HandPoint now;  // as the brush has it
    TouchUp done;   // since the stroke began
  };
  Touched* touched(std::size_t i);
  bool adjustSome(const BrushDab& dab, const std::vector<std::size_t>& indices);

  std::shared_ptr<const TouchScene> m_scene;
  Job m_job;
  BrushAdjust m_how;
  BrushMeets m_which;
  std::optional<std::string> m_kind;         // uid of the prop that the stroke began on
  std::map<std::size_t, Touched> m_touched;  // by index in the points
};

}  // namespace arvesk
