#include "app/model/frame_store.h"

#include "core/base/memory.h"

namespace arvesk {
namespace {

/// Frames may fill the memory up to this share: the rest is for the next one, and for whatever else goes on.
constexpr double kShare = 0.6;

bool isScarce() { return static_cast<double>(memoryInUse()) > kShare * static_cast<double>(memoryLimit()); }

}  // namespace

void FrameStore::clear() {
  m_frames.clear();
  ++m_generation;
}

bool FrameStore::hasRoom() { return !isScarce(); }

void FrameStore::keep(const EvaluationService::Request& request, const EvalViewPtr& view) {
  if (request.edition != m_edition) clear();
  m_edition = request.edition;
  if (find(request)) m_frames.pop_back();
  m_frames.push_back({request, view});
  while (m_frames.size() > 1 && isScarce()) m_frames.pop_front();
}

EvalViewPtr FrameStore::find(const EvaluationService::Request& request) {
  for (auto it = m_frames.begin(); it != m_frames.end(); ++it)
    if (it->request.plan == request.plan && it->request.isSameLook(request)) {
      Kept found = *it;
      m_frames.erase(it);
      m_frames.push_back(found);
      return found.view;
    }
  return nullptr;
}

bool FrameStore::holds(const EvaluationService::Request& request) const {
  return std::any_of(m_frames.begin(), m_frames.end(), [&](const Kept& kept) {
    return kept.request.plan == request.plan && kept.request.isSameLook(request);
  });
}

}  // namespace arvesk
