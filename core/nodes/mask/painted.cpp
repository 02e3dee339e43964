// Painted mask: brush strokes in Site.
#include "core/masks/point_masks.h"
#include "core/nodes/mask/finish.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

#include <algorithm>

namespace arvesk::nodes {
namespace {

enum class Sides { One, All };
enum class PaintsOn { Ground, Things };

struct Params : MaskFinish {
  Strokes strokes;
  float size = 3;
  float strength = 70;
  float softness = 60;
  Sides sides = Sides::One;
  PaintsOn on = PaintsOn::Ground;
};

Result<Outputs> evaluate(const EvalContext&, const Inputs&, const Params& p) {
  return Outputs{makePaintedMask(p.strokes, p)};
}

/// Dabs act in their order: those before the first that differs, and those after the last, do so as before.
std::optional<std::vector<Box3>> differsAt(const EvalContext&, const Inputs&, const Params& before, const Params& now) {
  const std::vector<Dab>& a = before.strokes.dabs;
  const std::vector<Dab>& b = now.strokes.dabs;
  const auto first = std::mismatch(a.begin(), a.end(), b.begin(), b.end());
  const auto last = std::mismatch(a.rbegin(), std::make_reverse_iterator(first.first), b.rbegin(),
                                  std::make_reverse_iterator(first.second));
  std::vector<Box3> out;
  const auto add = [&](auto from, auto to) {
    for (; from != to; ++from) out.push_back({from->place - Vec3(from->radius), from->place + Vec3(from->radius)});
  };
  add(first.first, last.first.base());
  add(first.second, last.second.base());
  return out;
}

std::string sentence(const Params& p) {
  return p.strokes.dabs.empty() ? std::string("nothing painted yet") : fmt::format("{} dabs", p.strokes.dabs.size());
}

}  // namespace

const NodeKind& painted() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "painted";
    k.version = 2;
    k.upgrade = [](SavedNode& saved) {  // dabs of version 1 had six numbers and no side
      const auto strokes = saved.params.find("strokes");
      if (strokes == saved.params.end()) return;
      const auto* old = std::get_if<std::vector<double>>(&strokes->second);
      if (!old) return;
      std::vector<double> now;
      for (std::size_t i = 0; i + 6 <= old->size(); i += 6) {
        now.insert(now.end(), old->begin() + static_cast<std::ptrdiff_t>(i),
                   old->begin() + static_cast<std::ptrdiff_t>(i + 6));
        now.insert(now.end(), 3, 0.0);
      }
      strokes->second = std::move(now);
    };
    k.family = Family::Mask;
    k.label = ARVESK_TEXT("node", "Painted");
    k.help = ARVESK_TEXT("node",
                         "What the mask brush painted in Site: dabs with a place, a radius, a strength and a softness, "
                         "applied in order; adding goes toward 1, taking away toward 0. Dabs lie in space, so neither "
                         "the mesh nor its density matters. The numbers below are the brush's for the next stroke.");
    k.glyph = "painted";
    k.synonyms = {"paint", "brush", "draw", "hand", "stroke"};
    k.inputs = {};
    k.outputs = {maskOutput()};
    k.params = {
        param("size", &Params::size, ARVESK_TEXT("node", "Brush radius"), ARVESK_TEXT("node", "Of the next stroke."))
            .in(Unit::Meter)
            .hard(0.01, 1e4)
            .usual(0.1, 20, 0.1)
            .inSite(SiteRole::BrushRadius)
            .ofTool(),
        param("strength", &Params::strength, ARVESK_TEXT("node", "Brush strength"),
              ARVESK_TEXT("node", "How far one dab goes; a tablet's pressure scales it."))
            .in(Unit::Percent)
            .hard(1, 100)
            .usual(1, 100, 1)
            .inSite(SiteRole::BrushStrength)
            .ofTool(),
        param("softness", &Params::softness, ARVESK_TEXT("node", "Brush softness"),
              ARVESK_TEXT("node", "The share of the radius over which a dab fades."))
            .in(Unit::Percent)
            .hard(0, 100)
            .usual(0, 100, 1)
            .inSite(SiteRole::BrushSoftness)
            .ofTool(),
        param(
            "sides", &Params::sides, ARVESK_TEXT("node", "Paints"),
            ARVESK_TEXT("node",
                        "The side of the ground that one sees, or all that lies within the brush: through thin walls, "
                        "undersides too."),
            {{"one", ARVESK_TEXT("node", "One side")}, {"all", ARVESK_TEXT("node", "All sides")}})
            .inSite(SiteRole::BrushSides)
            .ofTool(),
        param(
            "on", &Params::on, ARVESK_TEXT("node", "Brush lies on"),
            ARVESK_TEXT("node",
                        "The ground below the cursor, whatever stands before it, or what one sees there: placed props "
                        "too, for what grows on them."),
            {{"ground", ARVESK_TEXT("node", "Ground")}, {"things", ARVESK_TEXT("node", "What is seen")}})
            .inSite(SiteRole::BrushOn)
            .ofTool(),
        param("strokes", &Params::strokes, ARVESK_TEXT("node", "Strokes"),
              ARVESK_TEXT(
                  "node",
                  "Dabs: x, y, z, radius, strength (below 0 takes away), softness, and the normal of the side they "
                  "paint; 0, 0, 0 for all sides.")),
    };
    addFinishParams<Params>(k.params);
    k.example.params = {{"strokes", numbersOf(Strokes{{{{-6, 0, -1}, 3.5F, 1, 0.6F, {}},
                                                       {{-2.5F, 0, 1}, 3, 1, 0.6F, {}},
                                                       {{1, 0, 0}, 3, 1, 0.6F, {}},
                                                       {{5, 1, -2}, 2.6F, 1, 0.5F, {}},
                                                       {{8, 1, 2}, 2, 1, 0.5F, {}}}})}};
    k.trial.params = {{"strokes", std::vector<double>{2, 0, 3, 6, 0.8, 0.5, 4, 0, 3, 3, -0.5, 0.2}}};
    differs<Params>(k, &differsAt);
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
