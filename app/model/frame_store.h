// Frames of a plan that moves, ready to be shown again: kept within the memory that the program may use.
#pragma once

#include "app/model/evaluation_service.h"

#include <deque>

namespace arvesk {

class FrameStore {
 public:
  /// Keeps what answers `request`; frames that were shown longest ago go when memory becomes scarce.
  void keep(const EvaluationService::Request& request, const EvalViewPtr& view);
  /// What answers it, or null.
  EvalViewPtr find(const EvaluationService::Request& request);
  bool holds(const EvaluationService::Request& request) const;
  std::size_t count() const { return m_frames.size(); }
  void clear();
  /// Goes up whenever what was kept became wrong: what was begun before is not to be kept.
  std::size_t generation() const { return m_generation; }
  /// Is there memory for frames that nobody asked for yet?
  static bool hasRoom();

 private:
  struct Kept {
    EvaluationService::Request request;
    EvalViewPtr view;
  };
  std::deque<Kept> m_frames;  // the last used one is the last
  std::size_t m_edition = 0;  // of the plan that they are of
  std::size_t m_generation = 0;
};

}  // namespace arvesk
