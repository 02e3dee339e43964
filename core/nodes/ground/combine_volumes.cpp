// Combine volumes: together, what they share, or one without the others.
#include "core/nodes/ground/voxels.h"
#include "core/nodes/registry.h"

namespace arvesk::nodes {
namespace {

struct Params {
  CombineWay way = CombineWay::Together;
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  std::vector<VolumePtr> volumes;
  float voxelSize = std::numeric_limits<float>::infinity();
  const auto& links = in.many("volumes");
  if (p.way == CombineWay::Without && !links.empty() && links.front().isEmpty())
    return fail(ProblemCode::MissingInput, "the volume that the others are taken from is missing",
                "Connect it at the first place");
  for (const Inputs::Link& link : links)
    if (const auto* volume = std::get_if<VolumePtr>(&link.value); volume && *volume) {
      volumes.push_back(*volume);
      voxelSize = std::min(voxelSize, (*volume)->voxelSize());
    }
  if (volumes.empty()) return fail(ProblemCode::MissingInput, "no volume is connected", "Connect some to Volumes");
  VolumePtr out = volumes.size() == 1 ? volumes.front() : makeCombined(volumes, p.way, voxelSize);
  if (out->bounds().isEmpty())
    ctx.warn(p.way == CombineWay::Common ? "the volumes have nothing in common" : "nothing is inside",
             "Move them to where they meet");
  if (!out->hasDensity() &&
      std::any_of(volumes.begin(), volumes.end(), [](const VolumePtr& v) { return v->hasDensity(); }))
    ctx.warn("the first is a body, so the densities of the others only take away from it",
             "Put a density first to keep one");
  if (out->hasDensity()) {
    const DensityPtr density = out->density(ctx.task);
    if (ctx.task.isCancelled()) return Failure(cancelled());
    if (!density)
      return fail(ProblemCode::TooMany, "the densities lie too far apart for the voxels of the first",
                  "Raise its voxel size, or deliver them one by one");
    for (const VolumePtr& v : volumes)
      if (v->hasDensity() && v->voxelSize() < 0.7F * density->voxelSize()) {
        ctx.warn(fmt::format("a density of {:g} m voxels is held in those of the first, {:g} m", v->voxelSize(),
                             density->voxelSize()),
                 "Put the finer one first");
        break;
      }
  }
  ctx.say(voxelWords(*out));
  return Outputs{std::move(out)};
}

std::string sentence(const Params& p) {
  switch (p.way) {
    case CombineWay::Together: return "Together";
    case CombineWay::Common: return "Common part";
    case CombineWay::Without: return "First without the others";
  }
  return {};
}

}  // namespace

const NodeKind& combineVolumes() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "combine-volumes";
    k.family = Family::Ground;
    k.label = ARVESK_TEXT("node", "Combine volumes");
    k.help = ARVESK_TEXT("node",
                         "Several volumes as one: together, the part that is common to all, or the first without the "
                         "others. Their surfaces stay as they are, so inside is as exact as before, and depth goes to "
                         "the skin of the result. Mist and other densities stay densities, on the voxels of the first "
                         "of them; bodies hold them in or leave them out.");
    k.glyph = "combine-volumes";
    k.synonyms = {"union", "intersection", "difference", "subtract", "cut", "join"};
    k.inputs = {{"volumes", ValueType::Volume, ARVESK_TEXT("node", "Volumes"),
                 ARVESK_TEXT("node", "What is put together; the first one is what others are taken from."), false,
                 true}};
    k.outputs = {volumeOutput()};
    k.params = {param("way", &Params::way, ARVESK_TEXT("node", "Way"),
                      ARVESK_TEXT("node", "What of them is inside of the result."),
                      {{"together", ARVESK_TEXT("node", "Together")},
                       {"common", ARVESK_TEXT("node", "Common part")},
                       {"without", ARVESK_TEXT("node", "First without others")}})};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
