// Merge surfaces: several surfaces as one.
#include "core/nodes/ground/merge_surfaces.h"

#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params {};

/// Appends `from` to `to`, giving each vertex column a value where only one of the two has it.
template <typename T, typename Missing>
void append(SharedArray<T>& to, std::size_t toCount, const SharedArray<T>& from, std::size_t fromCount,
            Missing missing) {
  if (to.empty() && from.empty()) return;
  Array<T>& all = to.edit();
  if (all.empty()) all.assign(toCount, missing);
  if (from.empty())
    all.insert(all.end(), fromCount, missing);
  else
    all.insert(all.end(), from.begin(), from.end());
}

/// Faces' numbers into a list of names or materials; empty means all are 0.
void appendNumbers(SharedArray<std::uint16_t>& to, const SharedArray<std::uint16_t>& from, std::size_t fromFaces,
                   std::size_t shift) {
  Array<std::uint16_t>& all = to.edit();
  for (std::size_t f = 0; f < fromFaces; ++f)
    all.push_back(static_cast<std::uint16_t>(shift + (from.empty() ? 0 : from[f])));
}

/// Keys of a merged surface: as they were, marked by the slot that it came in by, so that the others may come and go.
std::uint64_t mergedKey(std::uint64_t slotUid, std::uint64_t key) {
  const std::uint64_t mark = hashOf(slotUid, key >> 32) | 1U;  // never 0, which is "not merged"
  return mark << 32 | (key & 0xffffffffU);
}

/// What its pieces are called then.
std::vector<GroundPiece> mergedPieces(std::uint64_t slotUid, std::vector<GroundPiece> pieces) {
  if (pieces.empty()) pieces.emplace_back();
  for (GroundPiece& p : pieces)
    p.key = static_cast<std::uint32_t>(mergedKey(slotUid, static_cast<std::uint64_t>(p.key) << 32) >> 32);
  return pieces;
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params&) {
  auto surface = mergedSurfaces(ctx, in.many("surfaces"));
  if (!surface) return Failure(surface.error());
  return Outputs{std::move(*surface)};
}

std::string sentence(const Params&) { return "Merge surfaces"; }

}  // namespace

Result<SurfacePtr> mergedSurfaces(const EvalContext& ctx, const std::vector<Inputs::Link>& links) {
  std::size_t filled = 0;
  std::size_t vertexCount = 0;
  std::size_t triangleCount = 0;
  for (const Inputs::Link& link : links) {
    filled += link.isEmpty() ? 0 : 1;
    const auto* given = std::get_if<SurfacePtr>(&link.value);
    if (!given || !*given) continue;
    vertexCount += (*given)->positions.size();
    triangleCount += (*given)->faceCount();
  }
  if (vertexCount > 0xfffffff0U)
    return fail(ProblemCode::TooMany,
                fmt::format("would have {} vertices, one surface holds 4,294,967,280", vertexCount),
                "Merge fewer surfaces");
  // Place, normal, color, coordinates and key of a vertex; corners, part, material and key of a triangle.
  if (auto ok = guardMemory(static_cast<double>(vertexCount) * 2 + static_cast<double>(triangleCount), 28,
                            "vertices and triangles", "Merge fewer surfaces");
      !ok)
    return Failure(ok.error());
  const bool bends = std::any_of(links.begin(), links.end(), [](const Inputs::Link& link) {
    const auto* given = std::get_if<SurfacePtr>(&link.value);
    return given && *given && !(*given)->rest.empty();
  });
  Surface out;
  std::vector<std::pair<const Attributes*, std::size_t>> attributes;
  for (const Inputs::Link& link : links) {
    const auto* given = std::get_if<SurfacePtr>(&link.value);
    if (!given || !*given) continue;  // an empty place
    Surface s = **given;
    if (ctx.task.isCancelled()) return Failure(cancelled());
    const std::size_t base = out.positions.size();
    if (s.normals.empty()) computeSmoothNormals(s);
    if (s.materials.empty()) s.materials.emplace_back();
    if (s.parts.empty()) s.parts.push_back(s.name);
    if (filled == 1) {  // nothing to put together, but what it is called
      Array<std::uint64_t> faceKeys(s.faceCount());
      for (std::size_t f = 0; f < faceKeys.size(); ++f) faceKeys[f] = mergedKey(link.slotUid, s.faceKey(f));
      Array<std::uint64_t> vertexKeys(s.positions.size());
      for (std::size_t v = 0; v < vertexKeys.size(); ++v) vertexKeys[v] = mergedKey(link.slotUid, s.vertexKey(v));
      s.faceKeys = std::move(faceKeys);
      s.vertexKeys = std::move(vertexKeys);
      s.pieces = mergedPieces(link.slotUid, std::move(s.pieces));
      return std::make_shared<const Surface>(std::move(s));
    }
    if (out.materials.size() + s.materials.size() > 0xffff || out.parts.size() + s.parts.size() > 0xffff)
      return fail(ProblemCode::TooMany,
                  fmt::format("would have {} materials and {} parts, one surface holds 65,535 of each",
                              out.materials.size() + s.materials.size(), out.parts.size() + s.parts.size()),
                  "Merge fewer surfaces");
    append(out.normals, base, s.normals, s.positions.size(), kUp);
    append(out.uvs, base, s.uvs, s.positions.size(), Vec2(0));
    append(out.colors, base, s.colors, s.positions.size(), Vec4(1));
    appendNumbers(out.faceMaterials, s.faceMaterials, s.triangles.size(), out.materials.size());
    appendNumbers(out.faceParts, s.faceParts, s.triangles.size(), out.parts.size());
    if (bends) {
      const SharedArray<Vec3>& lay = s.rest.empty() ? s.positions : s.rest;
      Array<Vec3>& rest = out.rest.edit();
      rest.insert(rest.end(), lay.begin(), lay.end());
    }
    Array<Vec3>& positions = out.positions.edit();
    positions.insert(positions.end(), s.positions.begin(), s.positions.end());
    Array<UVec3>& triangles = out.triangles.edit();
    for (const UVec3& t : s.triangles) triangles.push_back(t + static_cast<std::uint32_t>(base));
    Array<std::uint64_t>& faceKeys = out.faceKeys.edit();
    for (std::size_t f = 0; f < s.faceCount(); ++f) faceKeys.push_back(mergedKey(link.slotUid, s.faceKey(f)));
    Array<std::uint64_t>& vertexKeys = out.vertexKeys.edit();
    for (std::size_t v = 0; v < s.positions.size(); ++v) vertexKeys.push_back(mergedKey(link.slotUid, s.vertexKey(v)));
    out.materials.insert(out.materials.end(), s.materials.begin(), s.materials.end());
    out.parts.insert(out.parts.end(), s.parts.begin(), s.parts.end());
    out.arePartsObjects = out.arePartsObjects || s.arePartsObjects;
    for (const GroundPiece& p : mergedPieces(link.slotUid, s.pieces)) out.pieces.push_back(p);
    attributes.push_back({&(*given)->vertexAttributes, s.positions.size()});
  }
  out.vertexAttributes = concatenated(attributes);
  out.name = "merged";
  return std::make_shared<const Surface>(std::move(out));
}

const NodeKind& mergeSurfaces() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "merge-surfaces";
    k.family = Family::Ground;
    k.label = ARVESK_TEXT("node", "Merge surfaces");
    k.help = ARVESK_TEXT("node",
                         "Several surfaces as one ground; materials, parts and their names are kept. Where only some "
                         "have uvs, colors or attributes, the others get 0, white and 0.");
    k.glyph = "merge";
    k.synonyms = {"join", "combine", "union", "ground"};
    k.inputs = {{"surfaces", ValueType::Surface, ARVESK_TEXT("node", "Surfaces"),
                 ARVESK_TEXT("node", "The surfaces to merge, in order."), false, true}};
    k.outputs = {{"surface", ValueType::Surface, ARVESK_TEXT("node", "Surface")}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
