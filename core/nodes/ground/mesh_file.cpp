// Mesh file: a mesh from a file as ground.
#include "core/base/pattern.h"
#include "core/nodes/ground/placed.h"
#include "core/nodes/ground/played.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params : Placed, Played {
  std::string file;
  float unitScale = 1;
  UpAxis upAxis = UpAxis::Y;
  std::string parts;
};

Result<Surface> keepParts(const EvalContext& ctx, const Surface& s, const std::string& pattern) {
  const Patterns patterns(pattern);
  Array<std::uint32_t> kept;
  for (std::size_t f = 0; f < s.faceCount(); ++f) {
    const std::size_t part = s.faceParts.empty() ? 0 : s.faceParts[f];
    if (part < s.parts.size() && patterns.match(s.parts[part])) kept.push_back(static_cast<std::uint32_t>(f));
  }
  if (!kept.empty()) {
    ctx.warnUnmatched(patterns, s.parts, "part");
    return cutTo(s, kept);
  }
  return fail(ProblemCode::BadParameter, fmt::format("no part is called \"{}\"", pattern),
              fmt::format("The file has: {}", listOf(s.parts)));
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs&, const Params& p) {
  std::vector<Problem> warnings;
  auto file = ctx.files->surface(p.file, ctx.task, warnings);
  if (!file) return Failure(file.error());
  for (const Problem& w : warnings) ctx.warn(w.message, w.advice);
  const auto now = played(ctx, *file, p);
  if (!now) return Failure(now.error());
  Surface s = **now;
  s.motion = nullptr;
  if (!p.parts.empty()) {
    auto kept = keepParts(ctx, s, p.parts);
    if (!kept) return Failure(kept.error());
    s = std::move(*kept);
  }
  if (p.unitScale != 1 || p.upAxis == UpAxis::Z)
    s = transformed(s, Vec3(0), p.upAxis == UpAxis::Z ? glm::angleAxis(-kPi / 2, Vec3(1, 0, 0)) : Quat(1, 0, 0, 0),
                    p.unitScale);
  return Outputs{place(std::move(s), p)};
}

std::vector<NameCount> namesInFile(const std::string& param, const EvalContext& ctx, const Inputs&,
                                   const ParamMap& values) {
  const auto path = values.find("file");
  if (param != "clips" || path == values.end()) return {};
  std::vector<Problem> warnings;
  const auto file = ctx.files->surface(std::get<std::string>(path->second), ctx.task, warnings);
  return file ? motionNames(**file) : std::vector<NameCount>();
}

std::string sentence(const Params& p) {
  return fmt::format("Mesh file · {}", p.file.empty() ? "no file yet" : p.file.substr(p.file.find_last_of('/') + 1));
}

}  // namespace

const NodeKind& meshFile() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "mesh-file";
    k.family = Family::Ground;
    k.label = ARVESK_TEXT("node", "Mesh file");
    k.help = ARVESK_TEXT("node",
                         "Brings a mesh from a file as ground, with its materials, vertex colors, uv and part names; "
                         "it is read again when the file changes. Of glTF the motion plays too, of nodes, shapes "
                         "and skins: what is scattered on it rides along.");
    k.glyph = "mesh";
    k.showsTriangles = true;
    k.synonyms = {"import", "model", "gltf", "obj", "ply", "stl"};
    k.outputs = {{"surface", ValueType::Surface, ARVESK_TEXT("node", "Surface")}};
    k.params = {
        fileParam("file", &Params::file, ARVESK_TEXT("node", "File"),
                  ARVESK_TEXT("node", "glTF, GLB, OBJ, PLY, STL and other mesh formats."), "mesh"),
        param("parts", &Params::parts, ARVESK_TEXT("node", "Parts"),
              ARVESK_TEXT(
                  "node",
                  "Names of parts to take, with * and ? as wildcards, separated by semicolons; empty takes all.")),
    };
    addUnitParams(k.params, &Params::unitScale, &Params::upAxis, kUnitHelp);
    addPlayedParams<Params>(k.params);
    k.usesTime = &playsInTime;
    k.names = &namesInFile;
    addPlacedParams<Params>(k.params, true, true);
    k.example.params = {{"file", std::string("example.glb")}};
    k.trial.params = {{"file", std::string("kit/boulder-a.glb")}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
