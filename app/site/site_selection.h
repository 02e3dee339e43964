// What is selected in Site: placements by the node that they come from and their id, and what is hidden of them.
#pragma once

#include "core/picture/film.h"
#include "core/picture/scene.h"

#include <QPolygonF>

#include <map>
#include <set>

namespace arvesk {

/// Ids of points by the uid of the node that shows them.
using SiteSelection = std::map<std::string, std::set<std::uint64_t>>;

std::size_t countOf(const SiteSelection& selection);

/// The points of `layers` whose place falls into `area` (pixels of a picture `width` × `height`) and is not behind what `film` saw there.
/// A null film lets everything through.
SiteSelection selectedIn(const std::vector<PictureLayer>& layers, const Camera& camera, int width, int height, const QPolygonF& area, const Film* film, const Task& task);

enum class SameAs { Prop, Node, Clump };
/// All points that share it with any selected one. Clump: the parent's id.
SiteSelection extended(const std::vector<PictureLayer>& layers, const SiteSelection& selection, SameAs what);

/// Places of the selected points, `most` at most.
std::vector<Vec3> placesOf(const std::vector<PictureLayer>& layers, const SiteSelection& selection, std::size_t most, const Task& task);

/// What Site leaves away: these, or (isOnly) all others.
struct SiteHidden {
  SiteSelection points;
  bool isOnly = false;
  bool isEmpty() const { return points.empty(); }
  bool hides(const std::string& source, std::uint64_t id) const {
    const auto it = points.find(source);
    return (it != points.end() && it->second.contains(id)) != isOnly;
  }
};
/// The layers without what is hidden.
std::vector<PictureLayer> withoutHidden(const std::vector<PictureLayer>& layers, const SiteHidden& hidden);

}  // namespace arvesk
