#include "core/deliver/over_frames.h"

#include <fmt/format.h>

#include <algorithm>

namespace arvesk {
namespace {

/// Among the worst, or not at all; ties go by frame, output and id.
void keepWorst(std::vector<FrameFinding>& list, FrameFinding finding) {
  const auto isWorse = [](const FrameFinding& a, const FrameFinding& b) {
    return std::tuple(-a.meters, a.frame, a.output, a.id) < std::tuple(-b.meters, b.frame, b.output, b.id);
  };
  if (list.size() == OverFrames::kMost && !isWorse(finding, list.back())) return;
  list.insert(std::upper_bound(list.begin(), list.end(), finding, isWorse), std::move(finding));
  if (list.size() > OverFrames::kMost) list.pop_back();
}

}  // namespace

void OverFrames::add(double frame, const std::vector<ExportLayer>& layers, float deeperThan, const Task& task) {
  FrameFacts facts;
  facts.frame = frame;
  std::map<std::string, Places> now;
  std::vector<PointsPtr> all;
  std::vector<std::pair<std::string, std::string>> names;  // output and node
  std::map<std::string, int> numbers;
  for (const ExportLayer& layer : layers) {
    if (!layer.points) continue;
    const Points& p = *layer.points;
    // Several outputs may be called the same.
    const int number = ++numbers[layer.name];
    const std::string name = number == 1 ? layer.name : fmt::format("{} {}", layer.name, number);
    all.push_back(layer.points);
    names.emplace_back(name, layer.node);
    facts.placements += p.count;
    Places& places = now[name];
    const auto& before = m_before[name];
    const auto& beforeThat = m_beforeThat[name];
    for (std::size_t i = 0; i < p.count; ++i) {
      places[p.id[i]] = p.position[i];
      if (m_frames.empty()) continue;
      const auto was = before.find(p.id[i]);
      if (was == before.end()) {
        ++facts.came;
        if (!beforeThat.contains(p.id[i])) continue;
        if (m_flickers.size() < kMost)
          m_flickers.push_back({m_frames.back().frame, name, p.id[i], 0, layer.node, p.position[i]});
        ++m_flickerCount;
        continue;
      }
      const float step = glm::distance(was->second, p.position[i]);
      facts.longestStep = std::max(facts.longestStep, step);
      if (step > 0) keepWorst(m_steps, {frame, name, p.id[i], step, layer.node, p.position[i]});
    }
    for (const auto& [id, place] : before) facts.went += !places.contains(id);
  }
  // An output that gave nothing at all now.
  for (const auto& [name, before] : m_before)
    if (!now.contains(name)) facts.went += before.size();
  for (const Meeting& meeting : checkMeetings(all, deeperThan, task).worst) {
    facts.deepest = std::max(facts.deepest, meeting.depth);
    const Points& p = *all[meeting.smaller.layer];
    const auto& [name, node] = names[meeting.smaller.layer];
    const std::uint32_t point = meeting.smaller.point;
    keepWorst(m_meetings, {frame, name, p.id[point], meeting.depth, node, p.position[point]});
  }
  m_beforeThat = std::move(m_before);
  m_before = std::move(now);
  m_frames.push_back(facts);
}

}  // namespace arvesk
