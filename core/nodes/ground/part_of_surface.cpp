// Part of surface: some of the faces.
#include "core/base/pattern.h"
#include "core/nodes/face_rule.h"
#include "core/nodes/registry.h"
#include "core/spatial/surface_index.h"

#include <fmt/format.h>

#include <unordered_set>

namespace arvesk::nodes {
namespace {

enum class By { Mask, Name, Picked };
struct Params : FaceRule {
  Params() { are = FacesAre::Triangles; }
  By by = By::Mask;
  float limit = 0.5F;
  std::string patterns = "*";
  FaceList faces;
  bool isInverted = false;
  bool isShown = false;
};

/// The middles of some faces.
Points middlesOf(const Surface& s, const Faces& faces, const Array<std::uint32_t>& which) {
  Points p;
  p.count = which.size();
  Array<Vec3> position(p.count);
  Array<Vec3> normal(p.count);
  Array<std::uint32_t> face(p.count);
  Array<Vec2> uv(p.count);
  for (std::size_t i = 0; i < p.count; ++i) {
    const FaceMiddle middle = middleOf(s, faces, which[i]);
    position[i] = middle.place;
    normal[i] = middle.normal;
    face[i] = middle.triangle;
    uv[i] = s.uvAt(middle.triangle, middle.weights);
  }
  p.position = std::move(position);
  p.groundNormal = std::move(normal);
  p.groundFace = std::move(face);
  p.groundUv = std::move(uv);
  return p;
}

/// Marks the faces at whose middle the mask reaches the limit.
void markByMask(const EvalContext& ctx, const Surface& s, const Faces& faces, const Mask& mask, float limit,
                Array<std::uint8_t>& isPart) {
  // Runs of triangles where the mask is 0 need not be asked one by one.
  const auto runs = limit > 0 && faces.count() == s.faceCount() ? faceRunsOf(s) : nullptr;
  parallelPieces(ctx.task, faces.count(), 1024 * FaceRuns::kFaces, [&](std::size_t begin, std::size_t end) {
    Array<std::uint32_t> asked;
    forRuns(
        runs ? &runs->box : nullptr, begin, end, [&](const Box3& box) { return mask.isZeroIn(box); },
        [&](std::size_t from, std::size_t to, bool isOut) {
          for (auto f = static_cast<std::uint32_t>(from); f < to && !isOut; ++f) asked.push_back(f);
        });
    const Array<float> value = maskValues({}, mask, middlesOf(s, faces, asked));
    for (std::size_t i = 0; i < asked.size(); ++i) isPart[asked[i]] = value[i] >= limit;
  });
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Surface& s = *in.surface("surface");
  const auto faces = facesBy(s, p);
  Array<std::uint8_t> isPart;  // per face
  isPart.assign(faces->count(), 0);
  if (p.by == By::Mask) {
    if (!in.mask("mask"))
      return fail(ProblemCode::MissingInput, "faces are to go by a mask, but none is connected",
                  "Connect a mask, or choose names or picked faces");
    markByMask(ctx, s, *faces, *in.mask("mask"), p.limit, isPart);
  } else if (p.by == By::Name) {
    const Patterns patterns(p.patterns);
    std::vector<std::uint8_t> isPartNamed;
    std::vector<std::uint8_t> isMaterialNamed;
    std::vector<std::string> names = s.parts;
    for (const std::string& part : s.parts) isPartNamed.push_back(patterns.match(part));
    for (const Material& m : s.materials) {
      isMaterialNamed.push_back(patterns.match(m.name));
      names.push_back(m.name);
    }
    ctx.warnUnmatched(patterns, names, "part or material");
    for (std::size_t f = 0; f < faces->count(); ++f) {
      const std::uint32_t t = faces->of(f).front();
      isPart[f] = (!isPartNamed.empty() && isPartNamed[s.faceParts.empty() ? 0 : s.faceParts[t]]) ||
                  (!isMaterialNamed.empty() && isMaterialNamed[s.faceMaterials.empty() ? 0 : s.faceMaterials[t]]);
    }
  } else {
    std::unordered_set<std::uint64_t> picked(p.faces.keys.begin(), p.faces.keys.end());
    for (std::size_t t = 0; t < s.faceCount(); ++t)
      if (picked.contains(s.faceKey(t))) {
        picked.erase(s.faceKey(t));
        if (faces->ofTriangle[t] != kNoTriangleFace) isPart[faces->ofTriangle[t]] = 1;
      }
    if (!picked.empty())
      ctx.warn(fmt::format("{} of {} picked faces are not on this surface", picked.size(), p.faces.keys.size()),
               "Pick them again");
  }
  if (ctx.task.isCancelled()) return Failure(cancelled());
  Array<std::uint32_t> kept;
  for (std::size_t t = 0; t < s.faceCount(); ++t)
    if (const std::uint32_t f = faces->ofTriangle[t]; f != kNoTriangleFace && (isPart[f] != 0) != p.isInverted)
      kept.push_back(static_cast<std::uint32_t>(t));
  Surface out = cutTo(s, kept);
  out.isShown = p.isShown;
  if (out.triangles.empty()) ctx.warn("no face is left", "Lower the limit, change the names, or invert");
  return Outputs{std::make_shared<const Surface>(std::move(out))};
}

std::string sentence(const Params& p) {
  if (p.by == By::Picked) return fmt::format("{}{} picked faces", p.isInverted ? "all but " : "", p.faces.keys.size());
  return p.by == By::Mask ? fmt::format("faces {} {:g}", p.isInverted ? "below" : "from", p.limit)
                          : fmt::format("{}{}", p.isInverted ? "not " : "", p.patterns);
}

}  // namespace

const NodeKind& partOfSurface() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "part-of-surface";
    k.family = Family::Ground;
    k.label = ARVESK_TEXT("node", "Part of surface");
    k.help = ARVESK_TEXT(
        "node",
        "Keeps some of the faces: those whose middle reaches a mask's limit, those of parts or materials by name, or "
        "those picked in Site. To thin points, a mask on the points is finer than faces can be. Points sown on a part "
        "stay where they are when the part grows or shrinks.");
    k.glyph = "part";
    k.synonyms = {"faces", "select", "material", "group", "subset"};
    k.inputs = {{"surface", ValueType::Surface, ARVESK_TEXT("node", "Surface"),
                 ARVESK_TEXT("node", "The surface whose faces are chosen."), false, false},
                {"mask", ValueType::Mask, ARVESK_TEXT("node", "Mask"),
                 ARVESK_TEXT("node", "Asked at the middle of each face."), true, false}};
    k.outputs = {{"surface", ValueType::Surface, ARVESK_TEXT("node", "Surface")}};
    k.params = {
        param("by", &Params::by, ARVESK_TEXT("node", "Faces by"),
              ARVESK_TEXT("node", "A mask, names, or picked by hand."),
              {{"mask", ARVESK_TEXT("node", "Mask")},
               {"name", ARVESK_TEXT("node", "Part or material name")},
               {"picked", ARVESK_TEXT("node", "Picked in Site")}}),
        param("limit", &Params::limit, ARVESK_TEXT("node", "Limit"),
              ARVESK_TEXT("node", "Mask values from here on are kept."))
            .hard(0, 1)
            .usual(0, 1, 0.01)
            .shown("by", {"mask"}),
        param("patterns", &Params::patterns, ARVESK_TEXT("node", "Names"),
              ARVESK_TEXT("node", "Names with * and ? as wildcards, separated by semicolons."))
            .shown("by", {"name"}),
        param("faces", &Params::faces, ARVESK_TEXT("node", "Faces"),
              ARVESK_TEXT("node", "Click or drag over faces in Site while this node is selected; Ctrl takes away."))
            .shown("by", {"picked"}),
        param("invert", &Params::isInverted, ARVESK_TEXT("node", "Invert"),
              ARVESK_TEXT("node", "Keeps the others instead.")),
        param("shown", &Params::isShown, ARVESK_TEXT("node", "Shown in Site"),
              ARVESK_TEXT("node", "This part alone; else the whole surface is shown as before.")),
    };
    addFaceParams<Params>(k.params);
    k.example.params = {{"limit", 0.55}};
    k.example.joins = {"mask"};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
