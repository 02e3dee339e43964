// Region mask: inside a ball, a box or a half-space that is moved and sized in Site.
#include "core/masks/place_masks.h"
#include "core/nodes/mask/finish.h"
#include "core/nodes/mask/frame_param.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params : MaskFinish, MaskFrame {
  RegionShape shape = RegionShape::Ball;
  Vec3 center{0};
  Vec3 extent{20};
  float headingDeg = 0;
  Vec3 tiltDeg{0};
  float softness = 2;
};

Result<Outputs> evaluate(const EvalContext&, const Inputs&, const Params& p) {
  return Outputs{
      inFrame(makeRegionMask({p.shape, p.center, p.extent, headingTurn(p.headingDeg, p.tiltDeg), p.softness}, p), p)};
}

std::string sentence(const Params& p) {
  if (p.shape == RegionShape::HalfSpace) return fmt::format("below a plane at {:g} m", p.center.y);
  return fmt::format("{} {:g} × {:g} × {:g} m", p.shape == RegionShape::Ball ? "ball" : "box", p.extent.x, p.extent.y,
                     p.extent.z);
}

}  // namespace

const NodeKind& region() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "region";
    k.version = 2;
    k.upgrade = [](SavedNode& saved) {  // version 1 had one turn about X, Y and Z, from a front that looked south
      if (const auto turn = saved.params.find("turn"); turn != saved.params.end()) {
        saved.params["tilt"] = turn->second;
        saved.params["heading"] = 180.0;
        saved.params.erase("turn");
      }
      for (const char* part : {"", ".0", ".1", ".2"})
        if (auto formula = saved.follows.extract(std::string("turn") + part)) {
          formula.key() = std::string("tilt") + part;
          saved.follows.insert(std::move(formula));
          saved.params["heading"] = 180.0;
        }
    };
    k.family = Family::Mask;
    k.label = ARVESK_TEXT("node", "Region");
    k.help = ARVESK_TEXT("node",
                         "1 deep inside a ball, a box or a half-space, 0 outside, smooth over the softness. Moved and "
                         "sized by handles in Site while the node is selected.");
    k.glyph = "region";
    k.synonyms = {"ball", "sphere", "box", "plane", "area", "zone", "volume"};
    k.inputs = {};
    k.outputs = {maskOutput()};
    k.params = {
        param("shape", &Params::shape, ARVESK_TEXT("node", "Shape"),
              ARVESK_TEXT("node", "A half-space is all that lies below the plane through the center."),
              {{"ball", ARVESK_TEXT("node", "Ball")},
               {"box", ARVESK_TEXT("node", "Box")},
               {"half-space", ARVESK_TEXT("node", "Half-space")}}),
        param("center", &Params::center, ARVESK_TEXT("node", "Center"), ARVESK_TEXT("node", "Middle of the region."))
            .in(Unit::Meter)
            .hard(-1e5, 1e5)
            .usual(-100, 100, 0.1)
            .inSite(SiteRole::Center),
        param("extent", &Params::extent, ARVESK_TEXT("node", "Extent"),
              ARVESK_TEXT("node", "Full size along each axis."))
            .in(Unit::Meter)
            .hard(0.001, 1e5)
            .usual(0.1, 100, 0.1)
            .shown("shape", {"ball", "box"})
            .inSite(SiteRole::Extent),
        param("heading", &Params::headingDeg, ARVESK_TEXT("node", "Heading"),
              ARVESK_TEXT("node", "Where its front looks: 0° is north (−Z), 90° east (+X), clockwise from above."))
            .in(Unit::Degree)
            .hard(-3600, 3600)
            .usual(0, 360, 1)
            .inSite(SiteRole::Heading),
        param("tilt", &Params::tiltDeg, ARVESK_TEXT("node", "Tilt"),
              ARVESK_TEXT("node", "About X, then Y, then Z, before the heading."))
            .in(Unit::Degree)
            .hard(-360, 360)
            .usual(-180, 180, 1)
            .inSite(SiteRole::Tilt),
        param("softness", &Params::softness, ARVESK_TEXT("node", "Softness"),
              ARVESK_TEXT("node", "How far inside the skin it fades."))
            .in(Unit::Meter)
            .hard(0, 1e5)
            .usual(0, 20, 0.1)
            .inSite(SiteRole::Softness),
    };
    k.params.push_back(frameParam<Params>());
    addFinishParams<Params>(k.params);
    k.example.params = {{"extent", std::vector<double>{14, 14, 9}}, {"softness", 2.0}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
