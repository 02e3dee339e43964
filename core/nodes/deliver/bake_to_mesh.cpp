// Bake to mesh: placements as a surface, to place on or to export as real geometry.
#include "core/nodes/deliver/merge.h"
#include "core/nodes/registry.h"
#include "core/props/baked.h"
#include "core/props/bare.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class As { OneMesh, Objects };
struct Params {
  As as = As::OneMesh;
  int mostTriangles = 5'000'000;
  bool isShown = false;
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  auto surface = baked(points, p.as == As::Objects, static_cast<std::size_t>(p.mostTriangles), ctx.task);
  if (!surface) return Failure(surface.error());
  std::size_t bare = 0;
  for (std::size_t i = 0; i < points.count; ++i) bare += points.prop[i] == kNoProp;
  if (bare > 0)
    ctx.warn(fmt::format("{} points have no prop and are not in the mesh", bare), bareAdvice(points.kit != nullptr));
  if (surface->triangles.empty())
    return fail(ProblemCode::WrongInput, "there is nothing to bake",
                points.count == 0 ? std::string("No point comes in") : bareAdvice(points.kit != nullptr));
  surface->isShown = p.isShown;
  return Outputs{std::make_shared<const Surface>(std::move(*surface))};
}

std::string sentence(const Params& p) { return p.as == As::OneMesh ? "Bake · one mesh" : "Bake · an object each"; }

}  // namespace

const NodeKind& bakeToMesh() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "bake-to-mesh";
    k.family = Family::Deliver;
    k.label = ARVESK_TEXT("node", "Bake to mesh");
    k.help = ARVESK_TEXT("node",
                         "Makes real geometry of placements: one mesh with a part per prop, or one object per "
                         "placement, named by its prop and id, which every export writes as such. The result is a "
                         "surface: to place on, to take the part of, "
                         "to deliver. Guarded by a limit of triangles.");
    k.glyph = "bake";
    k.showsTriangles = true;
    k.synonyms = {"geometry", "combine", "mesh"};
    k.inputs = {pointsWithPropsInput()};
    k.outputs = {{"surface", ValueType::Surface, ARVESK_TEXT("node", "Surface")}};
    k.params = {
        param("as", &Params::as, ARVESK_TEXT("node", "Result"),
              ARVESK_TEXT("node", "One mesh, or an object per placement (65,535 at most)."),
              {{"one-mesh", ARVESK_TEXT("node", "One mesh")}, {"objects", ARVESK_TEXT("node", "An object each")}}),
        param("most_triangles", &Params::mostTriangles, ARVESK_TEXT("node", "At most"),
              ARVESK_TEXT("node", "Triangles; above it the node fails and tells how many there would be."))
            .hard(1, 1e9)
            .usual(1e4, 2e7, 1e4),
        param("shown", &Params::isShown, ARVESK_TEXT("node", "Shown in Site"),
              ARVESK_TEXT("node", "As ground; the placements themselves are shown by their output anyway.")),
    };
    k.example.params = {{"shown", true}};
    k.example.spacing = 2.2;
    k.example.shows = ExampleShows::OnProps;
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
