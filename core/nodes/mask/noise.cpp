// Noise mask: irregular patches.
#include "core/masks/noise_mask.h"

#include "core/nodes/mask/finish.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params : MaskFinish {
  NoiseForm form = NoiseForm::Plain;
  float featureSize = 6;
  int octaves = 3;
  float roughness = 0.5F;
  float contrast = 1.5F;
  Vec3 stretch{1};
  Vec3 offset{0};
  bool isInGround = false;
  Band band{0.35F, 0.55F, 1, 1};
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  NoiseSettings s;
  s.size = p.featureSize;
  s.octaves = p.octaves;
  s.roughness = p.roughness;
  s.contrast = p.contrast;
  s.stretch = p.stretch;
  s.form = p.form;
  // Ground coordinates start at the middle of the ground's base, so that the pattern goes along when the ground is
  // moved.
  s.offset = -p.offset;
  if (p.isInGround) {
    if (!in.surface())
      return fail(ProblemCode::MissingInput, "noise in ground coordinates needs the ground",
                  "Connect a surface to Ground");
    const Box3 box = in.surface()->bounds();
    s.offset -= Vec3(box.center().x, box.min.y, box.center().z);
  }
  s.seed = static_cast<std::uint32_t>(ctx.draw("noise").bits(0));
  return Outputs{makeNoiseMask(s, p.band, p)};
}

std::string sentence(const Params& p) {
  const char* form = p.form == NoiseForm::Plain ? "noise" : p.form == NoiseForm::Ridged ? "ridged noise" : "cells";
  return fmt::format("{} {:g} m", form, p.featureSize);
}

}  // namespace

const NodeKind& noise() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "noise";
    k.family = Family::Mask;
    k.label = ARVESK_TEXT("node", "Noise");
    k.help = ARVESK_TEXT("node",
                         "Irregular patches: gradient noise in three dimensions, from 0 to 1, through a band. Plain is "
                         "soft, ridged makes lines, cellular makes cells.");
    k.glyph = "noise";
    k.synonyms = {"random", "patches", "clouds", "drift", "ridged", "cellular"};
    k.inputs = {groundInput(true)};
    k.outputs = {maskOutput()};
    k.params = {
        param(
            "form", &Params::form, ARVESK_TEXT("node", "Form"),
            ARVESK_TEXT("node", "Plain: soft patches. Ridged: bright lines. Cellular: dark dots that grow into cells."),
            {{"plain", ARVESK_TEXT("node", "Plain")},
             {"ridged", ARVESK_TEXT("node", "Ridged")},
             {"cellular", ARVESK_TEXT("node", "Cellular")}}),
        param("feature_size", &Params::featureSize, ARVESK_TEXT("node", "Size"),
              ARVESK_TEXT("node", "Extent of the largest patches."))
            .in(Unit::Meter)
            .hard(0.001, 1e5)
            .usual(0.1, 50, 0.1),
        param("octaves", &Params::octaves, ARVESK_TEXT("node", "Octaves"),
              ARVESK_TEXT("node", "Layers of detail, each half as large as the one before."))
            .hard(1, 12)
            .usual(1, 8, 1),
        param("roughness", &Params::roughness, ARVESK_TEXT("node", "Roughness"),
              ARVESK_TEXT("node", "Strength of each layer against the one before."))
            .hard(0, 1)
            .usual(0, 1, 0.05),
        param("contrast", &Params::contrast, ARVESK_TEXT("node", "Contrast"),
              ARVESK_TEXT("node", "Spreads the values away from the middle."))
            .hard(0, 50)
            .usual(0, 5, 0.1),
        param("band", &Params::band, ARVESK_TEXT("node", "Noise"),
              ARVESK_TEXT("node", "Soft range of the noise: fade-in start, full from, full to, fade-out end."))
            .hard(0, 1)
            .usual(0, 1, 0.01),
        param("stretch", &Params::stretch, ARVESK_TEXT("node", "Stretch"),
              ARVESK_TEXT("node", "Longer patches along an axis: 2 is twice as long."))
            .hard(0.001, 1000)
            .usual(0.1, 10, 0.1),
        param("offset", &Params::offset, ARVESK_TEXT("node", "Offset"), ARVESK_TEXT("node", "Moves the pattern."))
            .in(Unit::Meter)
            .hard(-1e5, 1e5)
            .usual(-50, 50, 0.5),
        param("in_ground", &Params::isInGround, ARVESK_TEXT("node", "Moves with ground"),
              ARVESK_TEXT(
                  "node",
                  "In ground coordinates the pattern goes along when the connected ground is moved; else it stays "
                  "in the world.")),
    };
    addFinishParams<Params>(k.params);
    k.usesSeed = true;
    k.example.params = {{"feature_size", 4.0}, {"contrast", 2.0}};
    k.example.joins = {"ground"};
    reaches<Params>(k, [](const Params& p) { return p.isInGround ? Reach::whole(false) : Reach::none(); });
    putUnder(k.params, ARVESK_TEXT("node", "Space"), {"stretch", "offset", "in_ground"});
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
