// Shrink faces: cuts a surface into its faces and draws each toward its middle.
#include "core/nodes/face_rule.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params : FaceRule {
  float share = 20;
};

/// Triangles without area belong to no face and have nothing to shrink.
Surface withoutFlatTriangles(const Surface& s, const FaceRule& rule) {
  const auto faces = facesBy(s, rule);
  if (faces->triangles.size() == s.faceCount()) return s;
  Array<std::uint32_t> kept = faces->triangles;
  std::sort(kept.begin(), kept.end());
  return cutTo(s, kept);
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Surface s = withoutFlatTriangles(*in.surface("surface"), p);
  const auto faces = facesBy(s, p);
  Points middles;
  middles.count = faces->count();
  const SurfacePtr rest = s.rest.empty() ? nullptr : restOf(s);
  Array<Vec3> place(faces->count());
  Array<Vec3> placeAtRest(rest ? faces->count() : 0);
  Array<Vec3> normal(faces->count());
  for (std::size_t f = 0; f < faces->count(); ++f) {
    const FaceMiddle m = middleOf(s, *faces, f);
    place[f] = m.place;
    normal[f] = m.normal;
    if (rest) placeAtRest[f] = middleOf(*rest, *faces, f).place;
  }
  middles.position = Array<Vec3>(place);
  middles.groundNormal = std::move(normal);
  Array<float> share;
  if (const MaskPtr where = in.mask("where"))
    share = maskValues(ctx.task, *where, middles);
  else
    share.assign(faces->count(), 1.0F);
  if (ctx.task.isCancelled()) return Failure(cancelled());

  Surface out = s;
  Array<UVec3>& triangles = out.triangles.edit();
  Array<std::uint32_t> from;
  Array<std::uint32_t> faceOf;
  for (std::size_t f = 0; f < faces->count(); ++f) {
    std::map<std::uint32_t, std::uint32_t> own;  // a face's vertices become its own
    for (const std::uint32_t t : faces->of(f))
      for (int k = 0; k < 3; ++k) {
        const auto [it, isNew] = own.emplace(s.triangles[t][k], static_cast<std::uint32_t>(from.size()));
        if (isNew) {
          from.push_back(s.triangles[t][k]);
          faceOf.push_back(static_cast<std::uint32_t>(f));
        }
        triangles[t][k] = it->second;
      }
  }
  Array<Vec3> positions(from.size());
  Array<Vec3> atRest(rest ? from.size() : 0);
  Array<std::uint64_t> keys(from.size());
  for (std::size_t v = 0; v < from.size(); ++v) {
    const float amount = std::min(1.0F, share[faceOf[v]] * p.share / 100);
    positions[v] = s.positions[from[v]] + (place[faceOf[v]] - s.positions[from[v]]) * amount;
    if (rest) atRest[v] = rest->positions[from[v]] + (placeAtRest[faceOf[v]] - rest->positions[from[v]]) * amount;
    keys[v] = hashOf(s.vertexKey(from[v]), keyOfFace(s, *faces, faceOf[v]));  // each face has its own now
  }
  out.positions = std::move(positions);
  out.rest = std::move(atRest);
  out.vertexKeys = std::move(keys);
  const auto gather = [&](auto& values) {
    if (values.empty()) return;
    std::remove_cvref_t<decltype(values.edit())> moved(from.size());
    for (std::size_t v = 0; v < from.size(); ++v) moved[v] = values[from[v]];
    values = std::move(moved);
  };
  gather(out.normals);
  gather(out.uvs);
  gather(out.colors);
  out.vertexAttributes = gathered(s.vertexAttributes, from);
  return Outputs{std::make_shared<const Surface>(std::move(out))};
}

std::string sentence(const Params& p) { return fmt::format("Shrink faces · by {:g} %", p.share); }

}  // namespace

const NodeKind& shrinkFaces() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "shrink-faces";
    k.family = Family::Ground;
    k.label = ARVESK_TEXT("node", "Shrink faces");
    k.help = ARVESK_TEXT(
        "node",
        "Cuts a surface along its edges and draws every face toward its middle by a share, so that gaps open between "
        "them. Two triangles that follow each other and make a flat quad are one face. Where multiplies the share.");
    k.glyph = "shrink-faces";
    k.synonyms = {"inset", "gaps", "split", "tiles", "explode"};
    k.inputs = {{"surface", ValueType::Surface, ARVESK_TEXT("node", "Surface"),
                 ARVESK_TEXT("node", "Whose faces to shrink."), false, false},
                whereInput(ARVESK_TEXT("node", "Multiplies the share, asked at each face's middle."))};
    k.outputs = {{"surface", ValueType::Surface, ARVESK_TEXT("node", "Surface")}};
    k.params = {param("share", &Params::share, ARVESK_TEXT("node", "Share"),
                      ARVESK_TEXT("node", "0 % leaves faces as they are, 100 % draws them to a point."))
                    .in(Unit::Percent)
                    .hard(0, 99.9)
                    .usual(0, 90, 1)};
    addFaceParams<Params>(k.params);
    k.example.params = {{"share", 30.0}};
    k.example.groundDivisions = 12;
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
