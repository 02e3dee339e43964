// What is selected in Site: placements by the node that they come from and their id, and what is hidden of them.
#pragma once

#include "core/deliver/shown_points.h"
#include "core/picture/film.h"
#include "core/picture/scene.h"

#include <QPolygonF>

#include <algorithm>
#include <map>
#include <memory>
#include <vector>

namespace arvesk {

/// Ids, each once. Immutable and shared, since a million of them are handed from thread to thread.
class IdSet {
 public:
  IdSet() : IdSet(std::vector<std::uint64_t>()) {}
  IdSet(std::initializer_list<std::uint64_t> ids) : IdSet(std::vector<std::uint64_t>(ids)) {}
  explicit IdSet(std::vector<std::uint64_t> ids);
  bool contains(std::uint64_t id) const { return std::binary_search(m_ids->begin(), m_ids->end(), id); }
  std::size_t size() const { return m_ids->size(); }
  bool empty() const { return m_ids->empty(); }
  IdSet with(const IdSet& others) const;
  IdSet without(const IdSet& others) const;
  bool operator==(const IdSet& other) const { return *m_ids == *other.m_ids; }

 private:
  static IdSet ofRising(std::vector<std::uint64_t> ids);
  std::shared_ptr<const std::vector<std::uint64_t>> m_ids;  // rising
};

/// Ids of points by the uid of the node that shows them.
using SiteSelection = std::map<std::string, IdSet>;

std::size_t countOf(const SiteSelection& selection);
/// The same for who follows it back into the plan.
ShownPoints shownOf(const SiteSelection& selection);

/// The points of `layers` whose place falls into `area` (pixels of a picture `width` × `height`) and is not behind what
/// `film` saw there. A null film lets everything through.
SiteSelection selectedIn(const std::vector<PictureLayer>& layers, const Camera& camera, int width, int height,
                         const QPolygonF& area, const Film* film, const Task& task);

enum class SameAs { Prop, Node, Clump, Owner };
/// All points that share it with any selected one. Clump: the parent's id. Owner: what they were broken off.
SiteSelection extended(const std::vector<PictureLayer>& layers, const SiteSelection& selection, SameAs what);

/// Places of the selected points, `most` at most.
std::vector<Vec3> placesOf(const std::vector<PictureLayer>& layers, const SiteSelection& selection, std::size_t most,
                           const Task& task);

/// What Site leaves away: these, or (isOnly) all others.
struct SiteHidden {
  SiteSelection points;
  bool isOnly = false;
  bool operator==(const SiteHidden&) const = default;
  bool isEmpty() const { return points.empty(); }
  bool hides(const std::string& source, std::uint64_t id) const {
    const auto it = points.find(source);
    return (it != points.end() && it->second.contains(id)) != isOnly;
  }
};
/// The layers without what is hidden.
std::vector<PictureLayer> withoutHidden(const std::vector<PictureLayer>& layers, const SiteHidden& hidden);

}  // namespace arvesk
