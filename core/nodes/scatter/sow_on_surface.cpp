// Sow on surface: points on triangles, independent or evenly spaced.
#include "core/base/pattern.h"
#include "core/geometry/faces.h"
#include "core/nodes/registry.h"
#include "core/nodes/scatter/sowing.h"
#include "core/nodes/scatter/surface_attributes.h"
#include "core/spatial/surface_index.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class Way { Free, Even };
enum class Amount { Density, Total };
enum class SpacingBy { Fixed, Mask };
enum class AreaOf { True, Above };
struct Params : DraftShare {
  Way way = Way::Free;
  Amount amount = Amount::Density;
  float density = 1;
  int total = 1000;
  SpacingBy spacingBy = SpacingBy::Fixed;
  float spacing = 1;
  Range spacings{0.5F, 2};
  EvenWhere evenWhere = EvenWhere::Thins;
  AreaOf area = AreaOf::True;
  float footprint = 0.25F;
  std::string carries;
};

/// The largest distance of even points, m.
double widest(const Params& p) {
  return static_cast<double>(p.spacingBy == SpacingBy::Fixed ? p.spacing : std::max(p.spacings.from, p.spacings.to)) *
         (p.evenWhere == EvenWhere::Widens ? 4 : 1);
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const SurfacePtr surface = in.surface("surface");
  const auto table = areaTableOf(*surface);
  const bool isAbove = p.area == AreaOf::Above;
  const double area = isAbove ? table->totalAbove : table->total;
  if (!(area > 0))
    return fail(ProblemCode::WrongInput,
                isAbove ? "the surface has no area as seen from above" : "the surface has no area");
  const FaceDomain domain(*surface, isAbove ? table->areaAbove : table->area, area, isAbove);
  auto points = sown(ctx, domain, in.mask("where"), p.spacingBy == SpacingBy::Mask ? in.mask("spacing") : nullptr,
                     {p.way == Way::Even, p.amount == Amount::Total, p.density, p.total, p.spacingBy == SpacingBy::Mask,
                      p.spacing, p.spacings, p.evenWhere, p.footprint, p});
  if (!points) return Failure(points.error());
  if (const Patterns wanted(p.carries); !wanted.isEmpty()) {
    ctx.warnUnmatched(wanted, carriedNames(*surface), "attribute of this surface");
    const Array<std::uint32_t> face = points->groundFace.copied(points->count);
    const auto weightsOf = [&](std::size_t i) {
      const UVec3 v = surface->triangles[face[i]];
      return closestWeights(points->position[i], surface->positions[v.x], surface->positions[v.y],
                            surface->positions[v.z]);
    };
    carryAttributes(*points, *surface, face, weightsOf, [&](const std::string& name) { return wanted.match(name); });
  }
  return Outputs{std::make_shared<const Points>(std::move(*points))};
}

std::string sentence(const Params& p) {
  if (p.way == Way::Even)
    return p.spacingBy == SpacingBy::Fixed ? fmt::format("Even · {:g} m apart", p.spacing)
                                           : fmt::format("Even · {:g} to {:g} m apart", p.spacings.from, p.spacings.to);
  return p.amount == Amount::Density ? fmt::format("{:g} per m²", p.density) : fmt::format("{} in all", p.total);
}

}  // namespace

const NodeKind& sowOnSurface() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "sow-on-surface";
    k.groundFrom = "surface";
    k.family = Family::Scatter;
    k.label = ARVESK_TEXT("node", "Sow on surface");
    k.help = ARVESK_TEXT(
        "node",
        "Scatters points on a surface. Independent ones go by density, or an exact total after \"where\". "
        "Evenly spaced ones keep a spacing apart and fills the gaps, so it does not nest when the spacing changes. "
        "\"Where\" is the chance that a candidate stays, by the candidate's fixed rank: more \"where\" or more density "
        "only adds points.");
    k.glyph = "sow";
    k.synonyms = {"scatter", "distribute", "density", "points", "poisson", "blue noise"};
    k.inputs = {
        {"surface", ValueType::Surface, ARVESK_TEXT("node", "Surface"), ARVESK_TEXT("node", "What to scatter on."),
         false, false},
        whereInput(ARVESK_TEXT("node", "The chance that a candidate stays.")),
        {"spacing", ValueType::Mask, ARVESK_TEXT("node", "Spacing"),
         ARVESK_TEXT("node", "When evenly spaced: 0 gives the first, 1 the second of the two spacings."), true, false}};
    k.outputs = {pointsOutput()};
    k.params = {
        param("way", &Params::way, ARVESK_TEXT("node", "Spread"),
              ARVESK_TEXT("node", "Independent: each point by itself. Evenly spaced: no two closer than the spacing."),
              {{"free", ARVESK_TEXT("node", "Independent")}, {"even", ARVESK_TEXT("node", "Evenly spaced")}}),
        param("amount", &Params::amount, ARVESK_TEXT("node", "Amount"),
              ARVESK_TEXT("node", "Points per m², or a total that is exact after \"where\"."),
              {{"density", ARVESK_TEXT("node", "Density")}, {"total", ARVESK_TEXT("node", "Exact total")}})
            .shown("way", {"free"}),
        param("density", &Params::density, ARVESK_TEXT("node", "Density"),
              ARVESK_TEXT("node", "Points per m² of the chosen area, before \"where\"."))
            .in(Unit::PerSquareMeter)
            .hard(0, 1e6)
            .usual(0, 20, 0.1)
            .shown("amount", {"density"}),
        param("total", &Params::total, ARVESK_TEXT("node", "Total"),
              ARVESK_TEXT("node", "How many points stay in final quality."))
            .hard(0, 1e8)
            .usual(0, 100000, 100)
            .shown("amount", {"total"}),
        param("spacing_by", &Params::spacingBy, ARVESK_TEXT("node", "Spacing is"),
              ARVESK_TEXT("node", "The same everywhere, or between two values by the mask at Spacing."),
              {{"fixed", ARVESK_TEXT("node", "Fixed")}, {"mask", ARVESK_TEXT("node", "By mask")}})
            .shown("way", {"even"}),
        param("spacing", &Params::spacing, ARVESK_TEXT("node", "Spacing"),
              ARVESK_TEXT("node", "No two points are closer than this."))
            .in(Unit::Meter)
            .hard(0.001, 1e4)
            .usual(0.05, 10, 0.05)
            .shown("spacing_by", {"fixed"}),
        param("spacings", &Params::spacings, ARVESK_TEXT("node", "Spacings"),
              ARVESK_TEXT("node",
                          "Spacing where the mask is 0 and where it is 1; two points keep half the sum of theirs."))
            .in(Unit::Meter)
            .hard(0.001, 1e4)
            .usual(0.05, 10, 0.05)
            .shown("spacing_by", {"mask"}),
        evenWhereParam<Params>(&Params::evenWhere),
        param("area", &Params::area, ARVESK_TEXT("node", "Area"),
              ARVESK_TEXT("node",
                          "True: steep places get as many per m² of skin. As seen from above: per m² of the plan view, "
                          "undersides get none, and Even measures its spacing from above."),
              {{"true", ARVESK_TEXT("node", "True")}, {"above", ARVESK_TEXT("node", "From above")}}),
        param("footprint", &Params::footprint, ARVESK_TEXT("node", "Footprint"),
              ARVESK_TEXT("node", "Radius of ground that a point claims until it is given a prop."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0, 5, 0.05),
        param("carries", &Params::carries, ARVESK_TEXT("node", "Carries"),
              ARVESK_TEXT("node",
                          "What points carry of the surface, by name, with * and ? as wildcards, separated by "
                          "semicolons: its vertices' numbers, color, part and material. Empty: nothing.")),
    };
    addDraftParams<Params>(k.params);
    k.usesSeed = true;
    k.showsFootprints = true;
    k.example.params = {{"way", std::string("even")}, {"spacing", 0.55}};
    hasAtMost<Params>(k, [](const Params& p, const Most&, const Inputs&) -> std::optional<Most> {
      return Most{p.footprint, 1};
    });
    reaches<Params>(k, [](const Params& p) {
      if (p.way == Way::Free) return p.amount == Amount::Total ? Reach::whole(true) : Reach::none();
      // Chains of darts: most ends were within 5.7 spacings, measured over random ground.
      return Reach::among(12 * widest(p), 0, false);
    });
    k.makesParts = [specs = k.params](const ParamMap& values) {
      const Params p = readParams<Params>(specs, values);
      return p.way == Way::Even || p.amount == Amount::Density;
    };
    k.beginsWith = [specs = k.params](const ParamMap& values) -> std::optional<double> {
      const Params p = readParams<Params>(specs, values);
      if (p.way == Way::Free) return {};
      return 6 * widest(p);
    };
    k.amountParam = "density";
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
