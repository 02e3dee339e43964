#include "core/props/baked.h"

#include "core/props/coloring.h"

#include <fmt/format.h>

#include <set>

namespace arvesk {

void appendPlaced(Surface& to, const Surface& from, const Vec3& position, const Quat& turn, const Vec3& size,
                  std::uint16_t materialBase, std::uint16_t part, const std::function<Vec3(Vec3)>& colorOf) {
  const auto base = static_cast<std::uint32_t>(to.positions.size());
  const std::size_t n = from.positions.size();
  const Array<Vec3> materialColor = colorOf ? materialColors(from) : Array<Vec3>();
  for (std::size_t v = 0; v < n; ++v) {
    to.positions.edit().push_back(position + turn * (size * from.positions[v]));
    to.normals.edit().push_back(from.normals.empty() ? kUp : placedNormal(from.normals[v], turn, size));
    to.uvs.edit().push_back(from.uvs.empty() ? Vec2(0) : from.uvs[v]);
    const Vec4 own = from.colors.empty() ? Vec4(1) : from.colors[v];
    if (!colorOf) {
      to.colors.edit().push_back(own);
      continue;
    }
    // Vertex colors multiply the material's: what is wanted, over what is there.
    const Vec3 there = glm::max(materialColor[v], Vec3(1e-3F));
    to.colors.edit().push_back(Vec4(glm::min(colorOf(there * Vec3(own)) / there, Vec3(16)), own.a));
  }
  const bool isMirrored = isMirroring(size);
  for (std::size_t f = 0; f < from.faceCount(); ++f) {
    UVec3 t = from.triangles[f];
    if (isMirrored) std::swap(t.y, t.z);
    to.triangles.edit().push_back(t + UVec3(base));
    to.faceMaterials.edit().push_back(
        static_cast<std::uint16_t>(materialBase + (from.faceMaterials.empty() ? 0 : from.faceMaterials[f])));
    to.faceParts.edit().push_back(part);
  }
}

namespace {

/// The numbers at the vertices of the props, copy by copy; a prop that lacks one gives 0.
void takeVertexAttributes(Surface& out, const Points& points) {
  std::set<std::string> names;
  for (const KitEntry& e : points.kit->entries)
    for (const auto& [name, column] : e.prop->surface->vertexAttributes)
      if (std::holds_alternative<Column<float>>(column)) names.insert(name);
  for (const std::string& name : names) {
    Array<float> all;
    all.reserve(out.positions.size());
    for (std::size_t i = 0; i < points.count; ++i) {
      if (points.prop[i] == kNoProp) continue;
      const Surface& s = *points.kit->entries[static_cast<std::size_t>(points.prop[i])].prop->surface;
      const auto* own = columnOf<Column<float>>(s.vertexAttributes, name);
      for (std::size_t v = 0; v < s.positions.size(); ++v) all.push_back(own ? (*own)[v] : 0.0F);
    }
    out.vertexAttributes.insert_or_assign(name, Column<float>(std::move(all)));
  }
}

}  // namespace

Result<Surface> baked(const Points& points, bool isPerPlacement, std::size_t mostTriangles, const Task& task) {
  Surface out;
  if (!points.kit) return out;
  const std::vector<KitEntry>& props = points.kit->entries;
  std::size_t triangles = 0;
  std::size_t vertices = 0;
  std::size_t placed = 0;
  for (std::size_t i = 0; i < points.count; ++i) {
    if (points.prop[i] == kNoProp) continue;
    const Surface& s = *props[static_cast<std::size_t>(points.prop[i])].prop->surface;
    triangles += s.faceCount();
    vertices += s.positions.size();
    ++placed;
  }
  if (triangles > mostTriangles)
    return fail(ProblemCode::TooMany, fmt::format("would make {} triangles, the limit is {}", triangles, mostTriangles),
                "Raise the limit, thin the points, or deliver instances");
  if (vertices > 0xfffffff0U)
    return fail(ProblemCode::TooMany, fmt::format("would have {} vertices, one mesh holds 4,294,967,280", vertices),
                "Thin the points, or deliver instances");
  if (auto ok = guardMemory(static_cast<double>(vertices) * 3 + static_cast<double>(triangles), 16,
                            "vertices and triangles", "Thin the points, or deliver instances");
      !ok)
    return Failure(ok.error());
  if (isPerPlacement && placed > 65535)
    return fail(ProblemCode::TooMany, fmt::format("would make {} objects, a surface holds 65,535 at most", placed),
                "Bake to one mesh, or thin the points");
  std::vector<std::uint16_t> materialBase;
  for (const KitEntry& e : props) {
    if (out.materials.size() + e.prop->surface->materials.size() > 65000)
      return fail(ProblemCode::TooMany, "would have more than 65,000 materials", "Bake fewer props at once");
    materialBase.push_back(static_cast<std::uint16_t>(out.materials.size()));
    for (const Material& m : e.prop->surface->materials) out.materials.push_back(m);
    if (e.prop->surface->materials.empty()) out.materials.emplace_back();
    if (!isPerPlacement) out.parts.push_back(e.prop->name);
  }
  out.triangles.edit().reserve(triangles);
  out.positions.edit().reserve(vertices);
  const PointColors colors(points);
  std::vector<Vec3> means;
  if (!colors.isPlain())
    for (const auto& e : props) means.push_back(meanColorOf(*e.prop->surface));
  for (std::size_t i = 0; i < points.count; ++i) {
    if (points.prop[i] == kNoProp) continue;
    if (i % 1024 == 0 && task.isCancelled()) return Failure(cancelled());
    const auto k = static_cast<std::size_t>(points.prop[i]);
    if (isPerPlacement) out.parts.push_back(fmt::format("{} {}", props[k].prop->name, points.id[i]));
    appendPlaced(
        out, *props[k].prop->surface, points.position[i], points.orientation[i], points.size[i], materialBase[k],
        static_cast<std::uint16_t>(isPerPlacement ? out.parts.size() - 1 : k),
        colors.isPlain() ? std::function<Vec3(Vec3)>() : [&](const Vec3& c) { return colors.apply(c, i, means[k]); });
  }
  out.arePartsObjects = isPerPlacement;
  takeVertexAttributes(out, points);
  return out;
}

}  // namespace arvesk
