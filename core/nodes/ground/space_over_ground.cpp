// Space over ground: water, fog, the air that insects fly in.
#include "core/nodes/ground/voxels.h"
#include "core/nodes/registry.h"

#include <algorithm>

namespace arvesk::nodes {
namespace {

enum class UpTo { Level, Height };
struct Params {
  float from = 0;
  UpTo upTo = UpTo::Height;
  float level = 0;
  float to = 2;
  float voxelSize = 0.5F;
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const SurfacePtr ground = in.surface();
  if (ground->faceCount() == 0)
    return fail(ProblemCode::WrongInput, "the ground has no triangles", "Connect another one");
  if (p.upTo == UpTo::Height && p.to <= p.from)
    return fail(ProblemCode::BadParameter,
                fmt::format("the space goes from {:g} to {:g} m over the ground", p.from, p.to),
                "Let it end higher than it begins");
  auto volume = makeSpaceOver(ground, {p.from, p.upTo == UpTo::Level, p.level, p.to, p.voxelSize});
  if (!volume) return Failure(volume.error());
  if ((*volume)->bounds().isEmpty()) {
    ctx.warn(fmt::format("no ground lies below {:g} m", p.level), "Raise the level");
  } else {
    bool looksUp = false;
    for (std::size_t f = 0; f < ground->faceCount() && !looksUp; ++f) looksUp = ground->faceNormal(f).y > 0;
    if (!looksUp)
      ctx.warn("all faces of the ground look down, and there is no space over such", "Turn the ground round");
  }
  ctx.say(voxelWords(**volume));
  return Outputs{std::move(*volume)};
}

std::string sentence(const Params& p) {
  return p.upTo == UpTo::Level ? fmt::format("{:g} m over ground up to level {:g} m", p.from, p.level)
                               : fmt::format("{:g} to {:g} m over ground", p.from, p.to);
}

}  // namespace

const NodeKind& spaceOverGround() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "space-over-ground";
    k.family = Family::Ground;
    k.label = ARVESK_TEXT("node", "Space over ground");
    k.help = ARVESK_TEXT("node",
                         "The space from a height over the ground to a level, or to another height over it, as a "
                         "volume: water, fog, the air that insects fly in. The ground straight below a place counts, "
                         "where it looks up: so there is space under arches and none within rocks. Below 0 it "
                         "reaches under the ground.");
    k.glyph = "space-over-ground";
    k.synonyms = {"volume", "water", "sea", "fog", "air", "layer"};
    k.inputs = {groundInput(false)};
    k.outputs = {volumeOutput()};
    k.params = {
        param("from", &Params::from, ARVESK_TEXT("node", "Starts at"), ARVESK_TEXT("node", "Height over the ground."))
            .in(Unit::Meter)
            .hard(-1e4, 1e4)
            .usual(-5, 20, 0.05),
        param("up_to", &Params::upTo, ARVESK_TEXT("node", "Up to"),
              ARVESK_TEXT("node", "A height over the ground, or one level everywhere, as of water."),
              {{"level", ARVESK_TEXT("node", "A level")}, {"height", ARVESK_TEXT("node", "A height over it")}}),
        param("level", &Params::level, ARVESK_TEXT("node", "Level"),
              ARVESK_TEXT("node", "Height above 0 where it ends."))
            .in(Unit::Meter)
            .hard(-1e4, 1e4)
            .usual(-10, 50, 0.1)
            .shown("up_to", {"level"}),
        param("to", &Params::to, ARVESK_TEXT("node", "Ends at"),
              ARVESK_TEXT("node", "Height over the ground where it ends."))
            .in(Unit::Meter)
            .hard(-1e4, 1e4)
            .usual(0, 50, 0.1)
            .shown("up_to", {"height"}),
        voxelSizeParam("voxel_size", &Params::voxelSize),
    };
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
