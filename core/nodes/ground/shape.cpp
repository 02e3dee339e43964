// Shape: a simple shape as ground.
#include "core/geometry/shapes.h"
#include "core/nodes/ground/placed.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class Form { Plane, Box, Ball, Cylinder, Torus };
struct Params : Placed {
  Form form = Form::Plane;
  Vec3 extent{20, 5, 20};
  float radius = 5;
  float tubeRadius = 1.5F;
  float height = 5;
  int divisions = 32;
};

Result<Outputs> evaluate(const EvalContext&, const Inputs&, const Params& p) {
  switch (p.form) {
    case Form::Plane: return Outputs{place(makePlane(p.extent.x, p.extent.z, p.divisions), p)};
    case Form::Box: return Outputs{place(makeBox(p.extent), p)};
    case Form::Ball: return Outputs{place(makeBall(p.radius, p.divisions), p)};
    case Form::Cylinder: return Outputs{place(makeCylinder(p.radius, p.height, p.divisions), p)};
    case Form::Torus: return Outputs{place(makeTorus(p.radius, p.tubeRadius, p.divisions), p)};
  }
  return fail(ProblemCode::BadParameter, "unknown form");
}

std::string sentence(const Params& p) {
  switch (p.form) {
    case Form::Plane: return fmt::format("Plane · {:g} × {:g} m", p.extent.x, p.extent.z);
    case Form::Box: return fmt::format("Box · {:g} × {:g} × {:g} m", p.extent.x, p.extent.y, p.extent.z);
    case Form::Ball: return fmt::format("Ball · radius {:g} m", p.radius);
    case Form::Cylinder: return fmt::format("Cylinder · radius {:g} m, {:g} m high", p.radius, p.height);
    case Form::Torus: return fmt::format("Torus · radius {:g} m", p.radius);
  }
  return {};
}

}  // namespace

const NodeKind& shape() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "shape";
    k.family = Family::Ground;
    k.label = ARVESK_TEXT("node", "Shape");
    k.help = ARVESK_TEXT("node",
                         "Makes a plane, box, ball, cylinder or torus as ground; box and cylinder stand on height 0.");
    k.glyph = "shape";
    k.synonyms = {"plane", "box", "ball", "sphere", "cylinder", "torus", "ground"};
    k.outputs = {{"surface", ValueType::Surface, ARVESK_TEXT("node", "Surface")}};
    const auto length = [](ParamSpec spec) { return spec.in(Unit::Meter).hard(0.001, 1e5).usual(0.1, 100, 0.5); };
    k.params = {
        param("form", &Params::form, ARVESK_TEXT("node", "Form"), ARVESK_TEXT("node", "What to make."),
              {{"plane", ARVESK_TEXT("node", "Plane")},
               {"box", ARVESK_TEXT("node", "Box")},
               {"ball", ARVESK_TEXT("node", "Ball")},
               {"cylinder", ARVESK_TEXT("node", "Cylinder")},
               {"torus", ARVESK_TEXT("node", "Torus")}}),
        length(param("extent", &Params::extent, ARVESK_TEXT("node", "Extent"),
                     ARVESK_TEXT("node", "Along X, Y and Z; a plane uses X and Z.")))
            .shown("form", {"plane", "box"}),
        length(param("radius", &Params::radius, ARVESK_TEXT("node", "Radius"),
                     ARVESK_TEXT("node", "Of the ball, cylinder or ring.")))
            .shown("form", {"ball", "cylinder", "torus"}),
        length(param("tube_radius", &Params::tubeRadius, ARVESK_TEXT("node", "Tube radius"),
                     ARVESK_TEXT("node", "Thickness of the torus, as a radius.")))
            .shown("form", {"torus"}),
        length(param("height", &Params::height, ARVESK_TEXT("node", "Height"), ARVESK_TEXT("node", "Of the cylinder.")))
            .shown("form", {"cylinder"}),
        param("divisions", &Params::divisions, ARVESK_TEXT("node", "Divisions"),
              ARVESK_TEXT("node", "How finely the shape is divided."))
            .hard(3, 1024)
            .usual(3, 128, 1)
            .shown("form", {"plane", "ball", "cylinder", "torus"}),
    };
    addPlacedParams<Params>(k.params, true, true);
    k.example.params = {{"form", std::string("torus")}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
