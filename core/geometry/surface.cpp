#include "core/geometry/surface.h"

#include "core/geometry/motion.h"
#include "core/geometry/welding.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <map>
#include <numeric>
#include <unordered_map>

namespace arvesk {

namespace {
constexpr std::uint32_t kNoVertex = 0xffffffffU;
}

Box3 Surface::bounds() const {
  return *derived.get<Box3>([this] {
    auto box = std::make_shared<Box3>();
    for (const Vec3& p : positions) box->add(p);
    return std::shared_ptr<const Box3>(box);
  });
}

Vec3 Surface::faceNormal(std::size_t face) const {
  const UVec3 t = triangles[face];
  return directionOr(glm::cross(positions[t.y] - positions[t.x], positions[t.z] - positions[t.x]), kUp);
}

float Surface::faceArea(std::size_t face) const {
  const UVec3 t = triangles[face];
  return 0.5F * glm::length(glm::cross(positions[t.y] - positions[t.x], positions[t.z] - positions[t.x]));
}

const Material& Surface::materialOf(std::size_t face) const {
  static const Material plain;
  if (materials.empty()) return plain;
  return materials[faceMaterials.empty() ? 0 : faceMaterials[face]];
}

void Surface::countBytes(ByteCounter& counter) const {
  if (!counter.add(this, sizeof(Surface) + nodes.size() * sizeof(SceneNode) + materials.size() * sizeof(Material)))
    return;
  positions.countBytes(counter);
  rest.countBytes(counter);
  if (motion) motion->countBytes(counter);
  triangles.countBytes(counter);
  normals.countBytes(counter);
  uvs.countBytes(counter);
  colors.countBytes(counter);
  faceMaterials.countBytes(counter);
  faceParts.countBytes(counter);
  faceKeys.countBytes(counter);
  vertexKeys.countBytes(counter);
  for (const Material& m : materials) {
    if (m.texture) counter.add(m.texture.get(), m.texture->rgba.capacity());
    if (m.textureFile) counter.add(m.textureFile.get(), m.textureFile->capacity());
  }
  arvesk::countBytes(vertexAttributes, counter);
  derived.countBytes(counter);
  atRest.positions.countBytes(counter);
}

std::size_t Surface::bytes() const {
  ByteCounter counter;
  countBytes(counter);
  return counter.bytes();
}

SurfacePtr restOf(const Surface& s) {
  return s.derived.get<Surface>([&] {
    auto out = std::make_shared<Surface>(s);
    out->positions = s.rest;
    out->rest.clear();
    if (!out->normals.empty()) computeSmoothNormals(*out);
    return std::shared_ptr<const Surface>(out);
  });
}

void computeSmoothNormals(Surface& s) {
  Array<Vec3> normals;
  normals.assign(s.positions.size(), Vec3(0));
  for (const UVec3& t : s.triangles) {
    const std::array<std::uint32_t, 3> v{t.x, t.y, t.z};
    const Vec3 normal = directionOr(
        glm::cross(s.positions[t.y] - s.positions[t.x], s.positions[t.z] - s.positions[t.x]), Vec3(0));
    for (std::size_t i = 0; i < 3; ++i) {
      const Vec3 a = directionOr(s.positions[v[(i + 1) % 3]] - s.positions[v[i]], Vec3(0));
      const Vec3 b = directionOr(s.positions[v[(i + 2) % 3]] - s.positions[v[i]], Vec3(0));
      normals[v[i]] += normal * angleBetween(a, b);
    }
  }
  for (Vec3& n : normals) n = directionOr(n, kUp);
  s.normals = std::move(normals);
}

Result<void> checkSurface(const Surface& s) {
  const std::size_t n = s.positions.size();
  const auto wrong = [](std::string text) { return fail(ProblemCode::FileUnreadable, std::move(text)); };
  for (std::size_t i = 0; i < n; ++i)
    if (!isFinite(s.positions[i])) return wrong(fmt::format("vertex {} has a position that is not a finite number", i));
  for (std::size_t f = 0; f < s.triangles.size(); ++f) {
    const UVec3 t = s.triangles[f];
    if (std::max({t.x, t.y, t.z}) >= n)
      return wrong(fmt::format("face {} refers to vertex {}, but there are {}", f, std::max({t.x, t.y, t.z}), n));
  }
  const auto fits = [n](std::size_t count) { return count == 0 || count == n; };
  if (!fits(s.rest.size()) || !fits(s.normals.size()) || !fits(s.uvs.size()) || !fits(s.colors.size()))
    return wrong("normals, uvs or colors do not match the vertices");
  for (const std::uint16_t m : s.faceMaterials)
    if (m >= s.materials.size())
      return wrong(fmt::format("a face refers to material {}, but there are {}", m, s.materials.size()));
  for (const std::uint16_t p : s.faceParts)
    if (p >= s.parts.size()) return wrong(fmt::format("a face refers to part {}, but there are {}", p, s.parts.size()));
  if ((!s.faceMaterials.empty() && s.faceMaterials.size() != s.triangles.size()) ||
      (!s.faceParts.empty() && s.faceParts.size() != s.triangles.size()))
    return wrong("materials or parts do not match the faces");
  return {};
}

Failure noTriangles() {
  return fail(ProblemCode::FileUnreadable, "has no usable triangles",
              "Export the mesh again, as triangles or polygons");
}

Surface transformed(const Surface& surface, const Vec3& move, const Quat& turn, float size) {
  Surface out = surface;
  for (Vec3& p : out.positions.edit()) p = turn * (p * size) + move;
  if (!out.rest.empty())
    for (Vec3& p : out.rest.edit()) p = turn * (p * size) + move;
  for (Vec3& n : out.normals.edit()) n = turn * n;
  for (SceneNode& n : out.nodes) {
    n.position = turn * (n.position * size) + move;
    n.turn = glm::normalize(turn * n.turn);
    n.size *= size;
  }
  if (out.pieces.empty()) out.pieces.emplace_back();
  for (GroundPiece& p : out.pieces) {
    p.origin = turn * (p.origin * size) + move;
    p.turn = glm::normalize(turn * p.turn);
    p.size *= size;
  }
  return out;
}

SceneNode sceneNodeOf(std::string name, std::int32_t parent, const glm::dmat4& world) {
  SceneNode node;
  node.name = std::move(name);
  node.parent = parent;
  node.position = Vec3(world[3]);
  glm::dmat3 m(world);
  const auto lengthOf = [](const glm::dvec3& v) { return std::max(glm::length(v), 1e-12); };
  if (glm::determinant(m) < 0) m[0] = -m[0], node.size.x = -1;
  node.size *= Vec3(static_cast<float>(lengthOf(m[0])), static_cast<float>(lengthOf(m[1])),
                    static_cast<float>(lengthOf(m[2])));
  node.turn = Quat(
      glm::normalize(glm::quat_cast(glm::dmat3(m[0] / lengthOf(m[0]), m[1] / lengthOf(m[1]), m[2] / lengthOf(m[2])))));
  const glm::dmat3 axes(m[0] / lengthOf(m[0]), m[1] / lengthOf(m[1]), m[2] / lengthOf(m[2]));
  node.isSheared = std::max({std::abs(glm::dot(axes[0], axes[1])), std::abs(glm::dot(axes[1], axes[2])),
                             std::abs(glm::dot(axes[2], axes[0]))}) > 1e-3;  // a twentieth of a degree
  if (!std::isfinite(node.turn.w) || !isFinite(node.position) || !isFinite(node.size))
    node = {node.name, parent, Vec3(0), Quat(1, 0, 0, 0), Vec3(1), false};
  return node;
}

namespace {

template <typename T>
SharedArray<T> gatheredFrom(const SharedArray<T>& values, const Array<std::uint32_t>& from) {
  if (values.empty()) return {};
  Array<T> out(from.size());
  for (std::size_t i = 0; i < from.size(); ++i) out[i] = values[from[i]];
  return out;
}

/// Gives `to` the vertices `from` of `s`; triangles are the caller's.
void takeVertices(Surface& to, const Surface& s, const Array<std::uint32_t>& from) {
  to.positions = gatheredFrom(s.positions, from);
  to.rest = gatheredFrom(s.rest, from);
  to.normals = gatheredFrom(s.normals, from);
  to.uvs = gatheredFrom(s.uvs, from);
  to.colors = gatheredFrom(s.colors, from);
  to.vertexAttributes = gathered(s.vertexAttributes, from);
  Array<std::uint64_t> keys(from.size());
  for (std::size_t i = 0; i < from.size(); ++i) keys[i] = s.vertexKey(from[i]);
  to.vertexKeys = std::move(keys);
}

}  // namespace

GridShape gridShapeOf(const Surface& surface) {
  const SharedArray<UVec3>& faces = surface.triangles;
  if (faces.size() < 2 || faces[0].x != 0 || faces[0].y < 2) return {};
  const GridShape grid{faces[0].y, static_cast<std::uint32_t>(surface.positions.size() / faces[0].y)};
  if (grid.rows < 2 || std::size_t{grid.columns} * grid.rows != surface.positions.size() ||
      faces.size() != std::size_t{grid.columns - 1} * (grid.rows - 1) * 2)
    return {};
  for (std::uint32_t y = 0; y + 1 < grid.rows; ++y)
    for (std::uint32_t x = 0; x + 1 < grid.columns; ++x) {
      const std::uint32_t a = y * grid.columns + x;
      const std::uint32_t b = a + grid.columns;
      const UVec3* f = &faces[std::size_t{y * (grid.columns - 1) + x} * 2];
      if (f[0] != UVec3(a, b, b + 1) || f[1] != UVec3(a, b + 1, a + 1)) return {};
    }
  return grid;
}

Surface withCreases(const Surface& s, float creaseDeg) {
  const auto places = weldedOf(s);
  const Array<std::uint32_t>& welded = places->place;
  std::vector<std::vector<std::uint32_t>> facesAt(places->vertex.size());
  std::vector<Vec3> normals(s.faceCount());
  for (std::size_t f = 0; f < s.faceCount(); ++f) {
    normals[f] = s.faceNormal(f);
    for (int k = 0; k < 3; ++k) facesAt[welded[s.triangles[f][k]]].push_back(static_cast<std::uint32_t>(f));
  }
  const float limit = std::cos(radians(creaseDeg)) - 1e-6F;
  Surface out = s;
  Array<std::uint32_t> from;
  Array<Vec3> smooth;
  Array<UVec3>& triangles = out.triangles.edit();
  for (std::size_t f = 0; f < s.faceCount(); ++f)
    for (int k = 0; k < 3; ++k) {
      const std::uint32_t v = s.triangles[f][k];
      Vec3 sum(0);
      for (const std::uint32_t other : facesAt[welded[v]])
        if (glm::dot(normals[f], normals[other]) >= limit) sum += normals[other] * s.faceArea(other);
      triangles[f][k] = static_cast<std::uint32_t>(from.size());
      from.push_back(v);
      smooth.push_back(directionOr(sum, normals[f]));
    }
  takeVertices(out, s, from);
  out.normals = std::move(smooth);
  return out;
}

void splitByMaterial(Surface& s) {
  if (s.faceMaterials.empty()) return;
  constexpr std::uint32_t kNone = 0xffffffffU;
  std::vector<std::uint32_t> materialOf(s.positions.size(), kNone);
  std::map<std::pair<std::uint32_t, std::uint32_t>, std::uint32_t> added;  // vertex and material → its copy
  Array<std::uint32_t> from;
  Array<UVec3> triangles(s.triangles.begin(), s.triangles.end());
  for (std::size_t f = 0; f < triangles.size(); ++f)
    for (int k = 0; k < 3; ++k) {
      std::uint32_t& v = triangles[f][k];
      const std::uint32_t material = s.faceMaterials[f];
      if (materialOf[v] == kNone) materialOf[v] = material;
      if (materialOf[v] == material) continue;
      const auto [it, isNew] = added.emplace(std::pair{v, material},
                                             static_cast<std::uint32_t>(s.positions.size() + from.size()));
      if (isNew) from.push_back(v);
      v = it->second;
    }
  if (from.empty()) return;
  Array<std::uint32_t> all(s.positions.size());
  std::iota(all.begin(), all.end(), 0U);
  all.insert(all.end(), from.begin(), from.end());
  const bool hasKeys = !s.vertexKeys.empty();
  takeVertices(s, Surface(s), all);
  if (!hasKeys) s.vertexKeys = {};
  s.triangles = std::move(triangles);
}

namespace {

/// Cuts several sets of faces off one surface; what marks the vertices is made once and cleaned where it was used.
class Cutter {
 public:
  explicit Cutter(const Surface& s) : m_s(s), m_place(s.positions.size(), kNoVertex) {}

  /// Triangles, vertices and their keys; of the rest what is there for each face.
  Surface cut(const Array<std::uint32_t>& faces) {
    Surface out;
    out.hasOwnNormals = m_s.hasOwnNormals;
    out.isMirrored = m_s.isMirrored;
    out.pieces = m_s.pieces;
    out.isShown = m_s.isShown;
    out.materials = m_s.materials;
    out.faceMaterials = gatheredFrom(m_s.faceMaterials, faces);
    Array<UVec3> triangles(faces.size());
    Array<std::uint64_t> keys(faces.size());
    Array<std::uint32_t> from;
    for (std::size_t i = 0; i < faces.size(); ++i) {
      const std::uint32_t f = faces[i];
      for (int k = 0; k < 3; ++k) {
        std::uint32_t& at = m_place[m_s.triangles[f][k]];
        if (at == kNoVertex) {
          at = static_cast<std::uint32_t>(from.size());
          from.push_back(m_s.triangles[f][k]);
        }
        triangles[i][k] = at;
      }
      keys[i] = m_s.faceKey(f);
    }
    out.triangles = std::move(triangles);
    out.faceKeys = std::move(keys);
    takeVertices(out, m_s, from);
    for (const std::uint32_t v : from) m_place[v] = kNoVertex;
    return out;
  }

 private:
  const Surface& m_s;
  std::vector<std::uint32_t> m_place;
};

}  // namespace

Surface cutTo(const Surface& s, const Array<std::uint32_t>& faces) {
  Surface out = Cutter(s).cut(faces);
  out.name = s.name;
  out.parts = s.parts;
  out.arePartsObjects = s.arePartsObjects;
  out.nodes = s.nodes;
  out.faceParts = gatheredFrom(s.faceParts, faces);
  return out;
}

std::vector<Surface> partsOf(const Surface& s) {
  std::vector<Array<std::uint32_t>> faces(std::max<std::size_t>(1, s.parts.size()));
  for (std::size_t f = 0; f < s.faceCount(); ++f)
    faces[s.faceParts.empty() ? 0 : s.faceParts[f]].push_back(static_cast<std::uint32_t>(f));
  Cutter cutter(s);
  std::vector<Surface> out;
  for (std::size_t k = 0; k < faces.size(); ++k) {
    if (faces[k].empty()) continue;
    out.push_back(cutter.cut(faces[k]));
    out.back().name = s.parts.empty() ? s.name : s.parts[k];
    out.back().parts.assign(1, out.back().name);
  }
  return out;
}

}  // namespace arvesk
