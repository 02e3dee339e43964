// What goes on over the frames of a plan that moves: how many there are, who comes and goes, the longest step, who
// flickers, how deep things stand in each other.
#pragma once

#include "core/deliver/meeting.h"
#include "core/formats/exporter.h"

#include <unordered_map>

namespace arvesk {

struct FrameFacts {
  double frame = 0;
  std::size_t placements = 0;
  std::size_t came = 0;  // since the frame before
  std::size_t went = 0;
  float longestStep = 0;  // m, of those that stayed
  float deepest = 0;      // m that two stand in each other
};

/// One placement at one frame.
struct FrameFinding {
  double frame = 0;
  std::string output;
  std::uint64_t id = 0;
  float meters = 0;
  std::string node{};  // uid of the output, in the opened plan
  Vec3 place{0};
};

class OverFrames {
 public:
  static constexpr std::size_t kMost = 100;  // findings of each sort that are kept, the worst ones

  /// The outputs at one more frame, later than those before. Overlaps below `deeperThan` m do not count.
  void add(double frame, const std::vector<ExportLayer>& layers, float deeperThan, const Task& task);

  const std::vector<FrameFacts>& frames() const { return m_frames; }
  /// Longest first; `frame` is the one that the step ends at.
  std::vector<FrameFinding> steps() const { return m_steps; }
  /// Who is there at a frame, is not at the next, and is at the one after: with the frame at which it is missing, as
  /// they come.
  const std::vector<FrameFinding>& flickers() const { return m_flickers; }
  std::size_t flickerCount() const { return m_flickerCount; }
  /// Deepest first: the smaller of the two.
  std::vector<FrameFinding> meetings() const { return m_meetings; }

 private:
  using Places = std::unordered_map<std::uint64_t, Vec3>;  // by id
  std::vector<FrameFacts> m_frames;
  std::map<std::string, Places> m_before;  // by output
  std::map<std::string, Places> m_beforeThat;
  std::vector<FrameFinding> m_steps, m_flickers, m_meetings;
  std::size_t m_flickerCount = 0;
};

}  // namespace arvesk
