// Surface of volume: a volume's skin as one surface.
#include "core/nodes/registry.h"
#include "core/spatial/meshing.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class SizeBy { Volume, Own };
struct Params {
  SizeBy sizeBy = SizeBy::Volume;
  float voxelSize = 0.1F;
  int smoothing = 2;
  bool isShown = true;
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const VolumePtr volume = in.volume();
  const float voxel = p.sizeBy == SizeBy::Own ? p.voxelSize : volume->voxelSize();
  std::size_t holes = 0;
  auto mesh = meshOf(volume, {voxel, p.smoothing}, ctx.task, &holes);
  if (!mesh) return Failure(mesh.error());
  if (holes > 0)
    ctx.warn(fmt::format("{} holes of what the volume was made of are closed straight across", holes),
             "Close them in its file for a skin of their own");
  if ((*mesh)->faceCount() == 0)
    ctx.warn("no surface was found",
             volume->bounds().isEmpty() ? "The volume is empty" : "Lower the voxel size: it is thinner than a voxel");
  Surface out = **mesh;
  out.name = "skin";
  out.isShown = p.isShown;
  return Outputs{std::make_shared<const Surface>(std::move(out))};
}

std::string sentence(const Params& p) {
  std::string text = p.sizeBy == SizeBy::Own ? fmt::format("Skin at {:g} m", p.voxelSize) : "Skin";
  if (p.smoothing > 0) text += fmt::format(" · {} × smoothed", p.smoothing);
  return text;
}

}  // namespace

const NodeKind& surfaceOfVolume() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "surface-of-volume";
    k.family = Family::Ground;
    k.label = ARVESK_TEXT("node", "Surface of volume");
    k.help = ARVESK_TEXT(
        "node",
        "The skin of a volume as a surface of even triangles, about as wide as voxels: one ground over "
        "many rocks, to grow moss across their joints. What is thinner than a voxel may be lost. "
        "Smoothing rounds edges and keeps the volume.");
    k.glyph = "surface-of-volume";
    k.synonyms = {"mesh", "remesh", "skin", "voxels", "polygons"};
    k.showsTriangles = true;
    k.inputs = {volumeInput(ARVESK_TEXT("node", "Whose skin it is."))};
    k.outputs = {{"surface", ValueType::Surface, ARVESK_TEXT("node", "Surface")}};
    k.params = {
        param("size_by", &Params::sizeBy, ARVESK_TEXT("node", "Voxel size is"),
              ARVESK_TEXT("node", "The volume's, or one of its own."),
              {{"volume", ARVESK_TEXT("node", "The volume's")}, {"own", ARVESK_TEXT("node", "Its own")}}),
        param("voxel_size", &Params::voxelSize, ARVESK_TEXT("node", "Voxel size"),
              ARVESK_TEXT("node", "How wide triangles are, about."))
            .in(Unit::Meter)
            .hard(0.0005, 1e3)
            .usual(0.02, 2, 0.01)
            .shown("size_by", {"own"}),
        param("smoothing", &Params::smoothing, ARVESK_TEXT("node", "Smoothing"),
              ARVESK_TEXT("node", "Rounds that take edges and steps off."))
            .hard(0, 200)
            .usual(0, 20, 1),
        param("shown", &Params::isShown, ARVESK_TEXT("node", "Shown in Site"),
              ARVESK_TEXT("node", "Off for a surface that is only placed on.")),
    };
    // A part of the skin that is nearest may lie anywhere.
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
