#include "core/props/light_body.h"

#include <cmath>
#include <cstdio>
#include <set>

extern "C" {
#include <libqhull_r/qhull_ra.h>
}

namespace arvesk {
namespace {

/// Triangles of the hull, by places; empty where it has no volume.
std::vector<UVec3> hullOf(const std::vector<DVec3>& places) {
  if (places.size() < 4) return {};
  DVec3 middle(0);
  for (const DVec3& p : places) middle += p / static_cast<double>(places.size());
  std::vector<coordT> coords;
  for (const DVec3& p : places)
    for (int axis = 0; axis < 3; ++axis) coords.push_back(p[axis] - middle[axis]);
  // What it has to say it says in its return value.
  std::FILE* words = std::fopen("/dev/null", "w");
  qhT state;
  qhT* qh = &state;
  qh_zero(qh, words);
  char how[] = "qhull Qt Pp";
  std::vector<UVec3> out;
  if (qh_new_qhull(qh, 3, static_cast<int>(places.size()), coords.data(), False, how, words, words) == 0) {
    facetT* facet = nullptr;
    vertexT* vertex = nullptr;
    vertexT** vertexp = nullptr;
    FORALLfacets {
      std::vector<std::uint32_t> corner;
      FOREACHvertex_(facet->vertices) corner.push_back(static_cast<std::uint32_t>(qh_pointid(qh, vertex->point)));
      if (corner.size() != 3) continue;
      const DVec3 a = places[corner[0]];
      const bool isInward = glm::dot(glm::cross(places[corner[1]] - a, places[corner[2]] - a),
                                     DVec3(facet->normal[0], facet->normal[1], facet->normal[2])) < 0;
      if (isInward) std::swap(corner[1], corner[2]);
      out.emplace_back(corner[0], corner[1], corner[2]);
    }
  }
  qh_freeqhull(qh, !qh_ALL);
  int open = 0;
  int bytes = 0;
  qh_memfreeshort(qh, &open, &bytes);
  if (words) std::fclose(words);
  return out;
}

/// Directions spread evenly over the sphere (Swinbank and Purser, "Fibonacci grids", 2006).
DVec3 directionAt(std::size_t i, std::size_t count) {
  const double up = 1 - (2 * static_cast<double>(i) + 1) / static_cast<double>(count);
  const double turn = static_cast<double>(i) * 2.399963229728653;
  const double across = std::sqrt(1 - up * up);
  return {across * std::cos(turn), up, across * std::sin(turn)};
}

/// Those places that corners of the triangles are, the others left out.
std::vector<DVec3> cornersOf(const std::vector<DVec3>& places, const std::vector<UVec3>& triangles) {
  std::set<std::uint32_t> used;
  for (const UVec3& t : triangles) used.insert({t.x, t.y, t.z});
  std::vector<DVec3> out;
  for (const std::uint32_t p : used) out.push_back(places[p]);
  return out;
}

}  // namespace

SurfacePtr lightBodyOf(const Prop& prop, std::size_t mostCorners) {
  std::set<std::array<float, 3>> distinct;
  for (const UVec3& t : prop.surface->triangles)
    for (int k = 0; k < 3; ++k) {
      const Vec3& p = prop.surface->positions[t[k]];
      distinct.insert({p.x, p.y, p.z});
    }
  std::vector<DVec3> places;
  for (const auto& p : distinct) places.emplace_back(p[0], p[1], p[2]);
  std::vector<UVec3> triangles = hullOf(places);
  std::vector<DVec3> corners = cornersOf(places, triangles);
  if (corners.size() > mostCorners) {
    std::set<std::size_t> far;
    for (std::size_t i = 0; i < mostCorners; ++i) {
      const DVec3 way = directionAt(i, mostCorners);
      std::size_t best = 0;
      for (std::size_t c = 1; c < corners.size(); ++c)
        if (glm::dot(corners[c], way) > glm::dot(corners[best], way)) best = c;
      far.insert(best);
    }
    places.clear();
    for (const std::size_t c : far) places.push_back(corners[c]);
    triangles = hullOf(places);
  } else {
    places = corners;
    triangles = hullOf(places);
  }
  if (triangles.empty()) return nullptr;
  Surface body;
  body.name = prop.name;
  Array<Vec3> positions;
  for (const DVec3& p : places) positions.push_back(Vec3(p));
  Array<UVec3> faces;
  for (const UVec3& t : triangles) faces.push_back(t);
  body.positions = std::move(positions);
  body.triangles = std::move(faces);
  computeSmoothNormals(body);
  return std::make_shared<const Surface>(std::move(body));
}

}  // namespace arvesk
