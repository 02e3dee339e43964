#include "core/plan/plan_index.h"

#include <algorithm>

namespace arvesk {

PlanIndex::PlanIndex(const Plan& plan) {
  m_nodes.reserve(plan.nodes.size());
  for (const Node& node : plan.nodes) m_nodes.emplace(node.uid, &node);
}

const Node* PlanIndex::find(const std::string& uid) const {
  const auto it = m_nodes.find(uid);
  return it == m_nodes.end() ? nullptr : it->second;
}

std::vector<const Node*> sourcesOf(const PlanIndex& index, const Node& node) {
  std::vector<const Node*> out;
  for (const auto& [id, links] : node.inputs)
    for (const Link& link : links)
      if (const Node* source = index.find(link.node)) out.push_back(source);
  return out;
}

void PlanOrder::leaveOut(const Node& node) { m_visits[&node].isOpen = false; }

void PlanOrder::add(const Node& root) {
  struct Frame {
    const Node* node;
    std::vector<const Node*> sources;
    std::size_t next = 0;
  };
  std::vector<Frame> frames;
  const auto enter = [&](const Node& node) {
    const std::size_t number = m_visits.size();
    m_visits[&node] = {number, number, true};
    m_component.push_back(&node);
    frames.push_back({&node, sourcesOf(*m_index, node)});
  };
  if (m_visits.contains(&root)) return;
  enter(root);
  while (!frames.empty()) {
    Frame& frame = frames.back();
    if (frame.next < frame.sources.size()) {
      const Node* source = frame.sources[frame.next++];
      if (source == frame.node) m_looped.insert(source);
      const auto known = m_visits.find(source);
      if (known == m_visits.end()) {
        enter(*source);
      } else if (known->second.isOpen) {
        Visit& own = m_visits[frame.node];
        own.lowest = std::min(own.lowest, known->second.number);
      }
      continue;
    }
    const Node* node = frame.node;
    const Visit own = m_visits[node];
    frames.pop_back();
    if (!frames.empty()) {
      Visit& before = m_visits[frames.back().node];
      before.lowest = std::min(before.lowest, own.lowest);
    }
    if (own.lowest != own.number) continue;  // of the component of one that was entered earlier
    auto first = m_component.end();
    while (*--first != node) {}
    const bool isLoop = m_component.end() - first > 1;
    for (auto it = first; it != m_component.end(); ++it) {
      m_visits[*it].isOpen = false;
      if (isLoop) m_looped.insert(*it);
      m_nodes.push_back(*it);
    }
    m_component.erase(first, m_component.end());
  }
}

}  // namespace arvesk
