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
  VolumePtr out = volumes.size() == 1 ? volumes.front() : makeCombined(std::move(volumes), p.way, voxelSize);
  if (out->bounds().isEmpty())
    ctx.warn(p.way == CombineWay::Common ? "the volumes have nothing in common" : "nothing is inside",
             "Move them to where they meet");
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
                         "the skin of the result.");
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
