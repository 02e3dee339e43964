#include "core/geometry/surface.h"

#include "core/base/hash.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <map>
#include <unordered_map>

namespace arvesk {

namespace {
constexpr std::uint32_t kNoVertex = 0xffffffffU;
}

Box3 Surface::bounds() const {
  return *derived->get<Box3>([this] {
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

std::size_t Surface::bytes() const {
  return positions.size() * sizeof(Vec3) + triangles.size() * sizeof(UVec3) + normals.size() * sizeof(Vec3) +
         uvs.size() * sizeof(Vec2) + colors.size() * sizeof(Vec4) + (faceMaterials.size() + faceParts.size()) * 2 +
         bytesOf(vertexAttributes);
}

void computeSmoothNormals(Surface& s) {
  s.normals.assign(s.positions.size(), Vec3(0));
  for (const UVec3& t : s.triangles) {
    const std::array<std::uint32_t, 3> v{t.x, t.y, t.z};
    const Vec3 normal = directionOr(
        glm::cross(s.positions[t.y] - s.positions[t.x], s.positions[t.z] - s.positions[t.x]), Vec3(0));
    for (std::size_t i = 0; i < 3; ++i) {
      const Vec3 a = directionOr(s.positions[v[(i + 1) % 3]] - s.positions[v[i]], Vec3(0));
      const Vec3 b = directionOr(s.positions[v[(i + 2) % 3]] - s.positions[v[i]], Vec3(0));
      s.normals[v[i]] += normal * angleBetween(a, b);
    }
  }
  for (Vec3& n : s.normals) n = directionOr(n, kUp);
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
  if (!fits(s.normals.size()) || !fits(s.uvs.size()) || !fits(s.colors.size()))
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
  out.derived = std::make_shared<Derived>();
  for (Vec3& p : out.positions) p = turn * (p * size) + move;
  for (Vec3& n : out.normals) n = turn * n;
  for (SceneNode& n : out.nodes) {
    n.position = turn * (n.position * size) + move;
    n.turn = glm::normalize(turn * n.turn);
    n.size *= size;
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
  if (!std::isfinite(node.turn.w) || !isFinite(node.position) || !isFinite(node.size))
    node = {node.name, parent, Vec3(0), Quat(1, 0, 0, 0), Vec3(1)};
  return node;
}

namespace {

struct PlaceHash {
  std::size_t operator()(const Vec3& p) const {
    std::array<std::uint32_t, 3> bits{};
    std::memcpy(bits.data(), &p, sizeof bits);
    return static_cast<std::size_t>(hashOf(bits[0], bits[1], bits[2]));
  }
};

/// Vertices at the same place as one number each.
std::vector<std::uint32_t> weldedOf(const Surface& s, std::size_t& count) {
  std::unordered_map<Vec3, std::uint32_t, PlaceHash> seen;
  std::vector<std::uint32_t> out(s.positions.size());
  for (std::size_t v = 0; v < out.size(); ++v)
    out[v] = seen.emplace(s.positions[v] + Vec3(0.0F), static_cast<std::uint32_t>(seen.size())).first->second;
  count = seen.size();
  return out;
}

template <typename T>
Array<T> gatheredFrom(const Array<T>& values, const Array<std::uint32_t>& from) {
  if (values.empty()) return {};
  Array<T> out(from.size());
  for (std::size_t i = 0; i < from.size(); ++i) out[i] = values[from[i]];
  return out;
}

/// Gives `to` the vertices `from` of `s`; triangles are the caller's.
void takeVertices(Surface& to, const Surface& s, const Array<std::uint32_t>& from) {
  to.positions = gatheredFrom(s.positions, from);
  to.normals = gatheredFrom(s.normals, from);
  to.uvs = gatheredFrom(s.uvs, from);
  to.colors = gatheredFrom(s.colors, from);
  to.vertexAttributes = gathered(s.vertexAttributes, from);
}

}  // namespace

std::size_t openEdgeCount(const Surface& s) {
  std::size_t count = 0;
  const std::vector<std::uint32_t> welded = weldedOf(s, count);
  std::unordered_map<std::uint64_t, int> edges;
  for (const UVec3& t : s.triangles)
    for (int k = 0; k < 3; ++k) {
      const std::uint64_t a = welded[t[k]];
      const std::uint64_t b = welded[t[(k + 1) % 3]];
      if (a != b) ++edges[std::min(a, b) << 32 | std::max(a, b)];
    }
  return static_cast<std::size_t>(
      std::count_if(edges.begin(), edges.end(), [](const auto& e) { return e.second == 1; }));
}

Surface withCreases(const Surface& s, float creaseDeg) {
  std::size_t count = 0;
  const std::vector<std::uint32_t> welded = weldedOf(s, count);
  std::vector<std::vector<std::uint32_t>> facesAt(count);
  std::vector<Vec3> normals(s.faceCount());
  for (std::size_t f = 0; f < s.faceCount(); ++f) {
    normals[f] = s.faceNormal(f);
    for (int k = 0; k < 3; ++k) facesAt[welded[s.triangles[f][k]]].push_back(static_cast<std::uint32_t>(f));
  }
  const float limit = std::cos(radians(creaseDeg)) - 1e-6F;
  Surface out = s;
  out.derived = std::make_shared<Derived>();
  Array<std::uint32_t> from;
  Array<Vec3> smooth;
  for (std::size_t f = 0; f < s.faceCount(); ++f)
    for (int k = 0; k < 3; ++k) {
      const std::uint32_t v = s.triangles[f][k];
      Vec3 sum(0);
      for (const std::uint32_t other : facesAt[welded[v]])
        if (glm::dot(normals[f], normals[other]) >= limit) sum += normals[other] * s.faceArea(other);
      out.triangles[f][k] = static_cast<std::uint32_t>(from.size());
      from.push_back(v);
      smooth.push_back(directionOr(sum, normals[f]));
    }
  takeVertices(out, s, from);
  out.normals = std::move(smooth);
  return out;
}

Surface facesOf(const Surface& s, const Array<std::uint32_t>& faces) {
  Surface out;
  out.name = s.name;
  out.materials = s.materials;
  out.parts = s.parts;
  out.nodes = s.nodes;
  out.hasOwnNormals = s.hasOwnNormals;
  out.isMirrored = s.isMirrored;
  out.isShown = s.isShown;
  out.triangles.resize(faces.size());
  out.faceKeys.resize(faces.size());
  if (!s.faceMaterials.empty()) out.faceMaterials.resize(faces.size());
  if (!s.faceParts.empty()) out.faceParts.resize(faces.size());
  Array<std::uint32_t> from;
  std::vector<std::uint32_t> place(s.positions.size(), kNoVertex);
  for (std::size_t i = 0; i < faces.size(); ++i) {
    const std::uint32_t f = faces[i];
    for (int k = 0; k < 3; ++k) {
      std::uint32_t& at = place[s.triangles[f][k]];
      if (at == kNoVertex) {
        at = static_cast<std::uint32_t>(from.size());
        from.push_back(s.triangles[f][k]);
      }
      out.triangles[i][k] = at;
    }
    out.faceKeys[i] = s.faceKey(f);
    if (!s.faceMaterials.empty()) out.faceMaterials[i] = s.faceMaterials[f];
    if (!s.faceParts.empty()) out.faceParts[i] = s.faceParts[f];
  }
  takeVertices(out, s, from);
  return out;
}

}  // namespace arvesk
