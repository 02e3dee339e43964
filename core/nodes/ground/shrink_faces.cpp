// Shrink faces: cuts a surface into its faces and draws each toward its middle.
#include "core/nodes/registry.h"
#include "core/nodes/scatter/faces.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params {
  float share = 20;
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Surface& s = *in.surface("surface");
  const std::vector<Face> faces = facesOfSurface(s);
  Points middles;
  middles.count = faces.size();
  Array<Vec3> place(faces.size());
  Array<Vec3> normal(faces.size());
  for (std::size_t f = 0; f < faces.size(); ++f) {
    const FaceMiddle m = middleOf(s, faces[f]);
    place[f] = m.place;
    normal[f] = m.normal;
  }
  middles.position = Array<Vec3>(place);
  middles.groundNormal = std::move(normal);
  Array<float> share;
  if (const MaskPtr where = in.mask("where"))
    share = maskValues(ctx.task, *where, middles);
  else
    share.assign(faces.size(), 1.0F);
  if (ctx.task.isCancelled()) return Failure(cancelled());

  Surface out = s;
  out.derived = std::make_shared<Derived>();
  Array<std::uint32_t> from;
  Array<std::uint32_t> faceOf;
  for (std::size_t f = 0; f < faces.size(); ++f) {
    std::map<std::uint32_t, std::uint32_t> own;  // a face's vertices become its own
    for (std::uint32_t t = faces[f].firstTriangle;
         t < faces[f].firstTriangle + static_cast<std::uint32_t>(faces[f].triangleCount); ++t)
      for (int k = 0; k < 3; ++k) {
        const auto [it, isNew] = own.emplace(s.triangles[t][k], static_cast<std::uint32_t>(from.size()));
        if (isNew) {
          from.push_back(s.triangles[t][k]);
          faceOf.push_back(static_cast<std::uint32_t>(f));
        }
        out.triangles[t][k] = it->second;
      }
  }
  out.positions.resize(from.size());
  for (std::size_t v = 0; v < from.size(); ++v) {
    const float amount = std::min(1.0F, share[faceOf[v]] * p.share / 100);
    out.positions[v] = s.positions[from[v]] + (place[faceOf[v]] - s.positions[from[v]]) * amount;
  }
  const auto gather = [&](auto& values) {
    if (values.empty()) return;
    auto copy = values;
    values.resize(from.size());
    for (std::size_t v = 0; v < from.size(); ++v) values[v] = copy[from[v]];
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
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
