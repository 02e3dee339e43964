// Facing mask: which way the ground looks.
#include "core/masks/place_masks.h"
#include "core/nodes/mask/finish.h"
#include "core/nodes/mask/frame_param.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class Toward { Heading, Direction };
struct Params : MaskFinish, MaskFrame {
  Toward toward = Toward::Heading;
  float headingDeg = 0;
  Vec3 direction{0, 0, -1};
  bool isTwoSided = false;
  Band band{0, 0, 60, 90};
};

Result<Outputs> evaluate(const EvalContext&, const Inputs& in, const Params& p) {
  const float heading = radians(p.headingDeg);
  const Vec3 direction = p.toward == Toward::Heading ? Vec3(std::sin(heading), 0, -std::cos(heading))
                                                     : directionOr(p.direction, Vec3(0));
  if (direction == Vec3(0))
    return fail(ProblemCode::BadParameter, "direction is 0, 0, 0", "Set a direction, such as 0, 1, 0 for up");
  return Outputs{inFrame(makeFacingMask(in.surface(), direction, p.isTwoSided, p.band, p), p)};
}

std::string sentence(const Params& p) {
  const std::string toward = p.toward == Toward::Heading
                                 ? fmt::format("{:g}°", p.headingDeg)
                                 : fmt::format("{:g}, {:g}, {:g}", p.direction.x, p.direction.y, p.direction.z);
  return fmt::format("faces {} within {:g}°", toward, p.band.fullTo);
}

}  // namespace

const NodeKind& facing() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "facing";
    k.family = Family::Mask;
    k.label = ARVESK_TEXT("node", "Facing");
    k.help = ARVESK_TEXT(
        "node",
        "The angle between the ground's normal and a direction, in degrees, through a band: sunny or windward sides. "
        "Reads the ground record of the point, or the ground that is connected, straight above or below the point.");
    k.glyph = "facing";
    k.synonyms = {"aspect", "direction", "sun", "side", "normal"};
    k.inputs = {groundInput(true)};
    k.outputs = {maskOutput()};
    k.params = {
        param("toward", &Params::toward, ARVESK_TEXT("node", "Toward"),
              ARVESK_TEXT("node", "A compass heading, or any direction."),
              {{"heading", ARVESK_TEXT("node", "Heading")}, {"direction", ARVESK_TEXT("node", "Direction")}}),
        param("heading", &Params::headingDeg, ARVESK_TEXT("node", "Heading"),
              ARVESK_TEXT("node", "0 is north (−Z), 90 is east (+X)."))
            .in(Unit::Degree)
            .hard(-360, 360)
            .usual(0, 360, 1)
            .shown("toward", {"heading"}),
        param("direction", &Params::direction, ARVESK_TEXT("node", "Direction"),
              ARVESK_TEXT("node", "The direction that is faced, in the world or on the prop."))
            .hard(-1, 1)
            .usual(-1, 1, 0.05)
            .shown("toward", {"direction"}),
        param("two_sided", &Params::isTwoSided, ARVESK_TEXT("node", "Either side"),
              ARVESK_TEXT("node", "Facing away counts as facing toward.")),
        param("band", &Params::band, ARVESK_TEXT("node", "Angle"),
              ARVESK_TEXT("node",
                          "Soft range of angles from the direction: fade-in start, full from, full to, fade-out end."))
            .in(Unit::Degree)
            .hard(0, 180)
            .usual(0, 180, 1),
    };
    k.params.push_back(frameParam<Params>());
    addFinishParams<Params>(k.params);
    k.example.params = {{"band", std::vector<double>{0, 0, 60, 80}}};
    k.example.joins = {"ground"};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
