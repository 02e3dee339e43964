// Merge surfaces: several surfaces as one.
#include "core/nodes/ground/merge_surfaces.h"

#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params {};

/// Appends `from` to `to`, giving each vertex column a value where only one of the two has it.
template <typename T, typename Missing>
void append(Array<T>& to, std::size_t toCount, const Array<T>& from, std::size_t fromCount, Missing missing) {
  if (to.empty() && from.empty()) return;
  if (to.empty()) to.assign(toCount, missing);
  if (from.empty())
    to.insert(to.end(), fromCount, missing);
  else
    to.insert(to.end(), from.begin(), from.end());
}

/// Faces' numbers into a list of names or materials; empty means all are 0.
void appendNumbers(Array<std::uint16_t>& to, std::size_t toFaces, const Array<std::uint16_t>& from,
                   std::size_t fromFaces, std::size_t shift) {
  if (to.empty()) to.assign(toFaces, 0);
  for (std::size_t f = 0; f < fromFaces; ++f)
    to.push_back(static_cast<std::uint16_t>(shift + (from.empty() ? 0 : from[f])));
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params&) {
  auto surface = mergedSurfaces(ctx, in.many("surfaces"));
  if (!surface) return Failure(surface.error());
  return Outputs{std::move(*surface)};
}

std::string sentence(const Params&) { return "Merge surfaces"; }

}  // namespace

Result<SurfacePtr> mergedSurfaces(const EvalContext& ctx, const std::vector<Inputs::Link>& links) {
  if (links.size() == 1) return std::get<SurfacePtr>(links.front().value);
  Surface out;
  std::vector<std::pair<const Attributes*, std::size_t>> attributes;
  for (const Inputs::Link& link : links) {
    Surface s = *std::get<SurfacePtr>(link.value);
    if (ctx.task.isCancelled()) return Failure(cancelled());
    const std::size_t vertices = out.positions.size();
    const std::size_t faces = out.triangles.size();
    if (vertices + s.positions.size() > 0xfffffff0U)
      return fail(ProblemCode::TooMany, "more vertices than one surface can hold");
    if (s.normals.empty()) computeSmoothNormals(s);
    if (s.materials.empty()) s.materials.emplace_back();
    if (s.parts.empty()) s.parts.push_back(s.name);
    if (out.materials.size() + s.materials.size() > 0xffff || out.parts.size() + s.parts.size() > 0xffff)
      return fail(ProblemCode::TooMany, "more than 65535 materials or parts");
    append(out.normals, vertices, s.normals, s.positions.size(), kUp);
    append(out.uvs, vertices, s.uvs, s.positions.size(), Vec2(0));
    append(out.colors, vertices, s.colors, s.positions.size(), Vec4(1));
    appendNumbers(out.faceMaterials, faces, s.faceMaterials, s.triangles.size(), out.materials.size());
    appendNumbers(out.faceParts, faces, s.faceParts, s.triangles.size(), out.parts.size());
    out.positions.insert(out.positions.end(), s.positions.begin(), s.positions.end());
    for (const UVec3& t : s.triangles) out.triangles.push_back(t + static_cast<std::uint32_t>(vertices));
    out.materials.insert(out.materials.end(), s.materials.begin(), s.materials.end());
    out.parts.insert(out.parts.end(), s.parts.begin(), s.parts.end());
    attributes.push_back({&std::get<SurfacePtr>(link.value)->vertexAttributes, s.positions.size()});
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
