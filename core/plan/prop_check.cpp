#include "core/plan/prop_check.h"

#include "core/base/groups.h"
#include "core/geometry/welding.h"
#include "core/plan/prop_making.h"

#include <fmt/format.h>

namespace arvesk {
using About = PropWarning::About;
namespace {

/// Do the closed bodies of a mesh hold less than nothing together? A hollow within another body may, by itself.
bool isInsideOut(const Surface& s) {
  const auto welded = weldedOf(s);
  Groups bodies(welded->vertex.size());
  for (const UVec3& t : s.triangles)
    for (const auto other : {t.y, t.z}) bodies.join(welded->place[other], welded->place[t.x]);
  std::vector<std::uint8_t> isOpen(welded->vertex.size(), 0);
  const Array<TriangleEdge> edges = edgesByPlace(s, *welded);
  for (std::size_t i = 0; i < edges.size();) {
    std::size_t end = i + 1;
    while (end < edges.size() && edges[end].places == edges[i].places) ++end;
    if (end == i + 1) isOpen[bodies.rootOf(welded->place[s.triangles[edges[i].triangle].x])] = 1;
    i = end;
  }
  const DVec3 middle(s.bounds().center());
  double volume = 0;
  for (const UVec3& t : s.triangles)
    if (!isOpen[bodies.rootOf(welded->place[t.x])])
      volume += glm::dot(DVec3(s.positions[t.x]) - middle,
                         glm::cross(DVec3(s.positions[t.y]) - middle, DVec3(s.positions[t.z]) - middle)) /
                6;
  const DVec3 extent(s.bounds().extent());
  return volume < -1e-4 * extent.x * extent.y * extent.z;
}

}  // namespace

std::vector<PropWarning> warningsOf(const PropEntry& entry, const Surface& file, const Prop& prop) {
  std::vector<PropWarning> out;
  if (!file.hasOwnNormals && entry.creaseDeg < 0)
    out.push_back({About::NoNormals, "The file has no normals; smooth ones were computed, so hard edges look round.",
                   "Sharp edges above 40°", [](PropEntry& p) { p.creaseDeg = 40; }});
  if (file.isMirrored)
    out.push_back({About::Mirrored,
                   "A part of the file has a negative scale. Its faces were turned round, so that they look outward.",
                   {},
                   {}});
  if (const std::size_t open = openEdgeCount(*prop.surface); open > 0)
    out.push_back(
        {About::Open,
         fmt::format(
             "The mesh is open: {} edges belong to one face only. Fine for leaves and cards; its inside can be seen.",
             open),
         {},
         {}});

  if (isInsideOut(*prop.surface))
    out.push_back({About::InsideOut,
                   "Its faces look inward: other programs may not draw it, and what grows on it grows into it. Turn "
                   "them round in the program that made the file.",
                   {},
                   {}});
  const Box3 box = prop.surface->bounds();
  const Vec3 extent = box.extent();
  const float largest = std::max({extent.x, extent.y, extent.z});
  const bool isAskedAbout = largest > kUnlikelySize && !entry.isLargeMeant;
  if (isAskedAbout || largest < 0.005F) {
    const double unit = likelierUnit(entry.unitScale, largest);
    out.push_back({About::OddSize, fmt::format("It is {:.3g} m {}.", largest, largest == extent.y ? "high" : "wide"),
                   unit > 0 ? fmt::format("Unit {:g} m ({:.2g} m then)", unit,
                                          static_cast<double>(largest) * unit / entry.unitScale)
                            : std::string(),
                   unit > 0 ? std::function<void(PropEntry&)>([unit](PropEntry& p) { p.unitScale = unit; }) : nullptr});
  }
  if (isAskedAbout)
    out.push_back({About::Large, "It is left out until you say which it is.", "It is meant so large",
                   [](PropEntry& p) { p.isLargeMeant = true; }});
  // A tenth of the extent: roots and anchors may go below the ground, and a tuft's middle need not be exact.
  const float off = std::max(
      {std::abs(box.center().x) / std::max(extent.x, 1e-6F), std::abs(box.center().z) / std::max(extent.z, 1e-6F)});
  const float under = (0 - box.min.y) / std::max(extent.y, 1e-6F);
  if (entry.pivot == PivotAt::AsMade && (off > 0.35F || under > 0.35F || under < -0.1F)) {
    const std::string where = under > 0.35F   ? fmt::format("{:.2g} m above its base", -box.min.y)
                              : under < -0.1F ? fmt::format("{:.2g} m below its base", box.min.y)
                                              : std::string("beside its middle");
    out.push_back({About::PivotOff,
                   fmt::format("The pivot lies {}; placements will hover, sink or stand beside their points.", where),
                   "Pivot to base center", [](PropEntry& p) { p.pivot = PivotAt::BaseCenter; }});
  }
  if (prop.surface->faceCount() > kHeavyTriangles && !entry.isMassingShown)
    out.push_back({About::Heavy, fmt::format("It has {} triangles each.", prop.surface->faceCount()),
                   "Show a simplified massing in Site", [](PropEntry& p) {
                     p.isMassingShown = true;
                     p.isMassingBox = false;
                     p.massingTriangles = std::max(p.massingTriangles, 2000);
                   }});
  return out;
}

}  // namespace arvesk
