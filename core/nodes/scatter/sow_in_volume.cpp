// Sow in volume: points inside of a volume, independent or evenly spaced.
#include "core/base/sorting.h"
#include "core/nodes/margin.h"
#include "core/nodes/registry.h"
#include "core/nodes/scatter/sowing.h"
#include "core/nodes/scatter/volume_domain.h"
#include "core/spatial/posed.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class Way { Free, Even };
enum class Amount { Density, Total };
enum class SpacingBy { Fixed, Mask };
enum class Most { AllThatFit, Total };
enum class Depths { All, Between };
enum class Lattice { World, Body };
enum class Weight { Density, Alike };
struct Params : DraftShare {
  Way way = Way::Free;
  Amount amount = Amount::Density;
  float density = 1;
  int total = 1000;
  SpacingBy spacingBy = SpacingBy::Fixed;
  float spacing = 1;
  Range spacings{0.5F, 2};
  EvenWhere evenWhere = EvenWhere::Thins;
  Most most = Most::AllThatFit;
  int evenTotal = 1000;
  Weight weight = Weight::Density;
  float fullDensity = 0.3F;
  Depths depths = Depths::All;
  Range depthsBetween{0, 1};
  MarginBy marginBy = MarginBy::Fixed;
  float margin = 0;
  float largestSize = 1;
  Lattice lattice = Lattice::World;
  float footprint = 0.25F;
};

float marginOf(const EvalContext& ctx, const Inputs& in, const Params& p) {
  if (p.marginBy == MarginBy::Fixed) return p.margin;
  const KitPtr kit = in.kit();
  if (!kit)
    ctx.warn("the margin is to be the props' reach, but no kit is connected; the fixed margin alone counts",
             "Connect the kit that the points get later");
  float reach = 0;
  if (kit)
    for (const KitEntry& entry : kit->entries) reach = std::max(reach, reachOf(*entry.prop));
  return p.margin + p.largestSize * reach;
}

/// As many as asked of points that were sown evenly, by ranks of their own, so that a larger total only adds.
Points someOf(const EvalContext& ctx, const Points& all, int wanted) {
  const auto count = static_cast<std::size_t>(std::max(wanted, 0));
  if (all.count < count) {
    ctx.warn(fmt::format("only {} of {} fit", all.count, count), "Lower the spacing or the total");
    return all;
  }
  Array<std::uint32_t> order(all.count);
  std::iota(order.begin(), order.end(), 0U);
  const Draw rank = ctx.draw("total");
  firstToFront(order, count, [&](std::uint32_t a, std::uint32_t b) {
    const std::uint64_t ra = rank.bits(all.id[a]);
    const std::uint64_t rb = rank.bits(all.id[b]);
    return ra != rb ? ra < rb : all.id[a] < all.id[b];
  });
  order.resize(count);
  sortLarge(order, std::less<>());
  return gathered(all, order);
}

/// "Where" times how dense the volume is, as a share of full.
class WeightedMask final : public Mask {
 public:
  WeightedMask(DensityPtr density, float full, MaskPtr where)
      : m_density(std::move(density)), m_full(full), m_where(std::move(where)) {}
  void values(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    if (m_where)
      m_where->values(at, begin, end, out);
    else
      std::fill(out, out + (end - begin), 1.0F);
    for (std::size_t i = begin; i < end; ++i)
      out[i - begin] = std::clamp(out[i - begin], 0.0F, 1.0F) * std::min(1.0F, m_density->at(at.position[i]) / m_full);
  }
  bool isZeroIn(const Box3& box) const override { return m_where && m_where->isZeroIn(box); }
  bool isOfPlaceAlone() const override { return !m_where || m_where->isOfPlaceAlone(); }
  bool isSearching() const override { return m_where && m_where->isSearching(); }
  void addNames(std::set<std::string>& numbers, std::set<std::string>& texts) const override {
    if (m_where) m_where->addNames(numbers, texts);
  }
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    m_density->countBytes(counter);
    if (m_where) m_where->countBytes(counter);
  }

 private:
  DensityPtr m_density;
  float m_full;
  MaskPtr m_where;
};

/// Between which depths points may lie, margin included.
Range depthsOf(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const float margin = marginOf(ctx, in, p);
  return p.depths == Depths::Between ? Range{std::max(margin, p.depthsBetween.from), p.depthsBetween.to}
                                     : Range{margin, std::numeric_limits<float>::infinity()};
}

/// Outside, too near the skin or too deep, too thin, or by "where": what decides of a candidate there.
std::string explainPlace(const EvalContext& ctx, const Inputs& in, const Params& p, const Vec3& place, float radius) {
  const VolumePtr volume = in.volume();
  if (!volume) return {};
  const Box3 box = volume->bounds();
  if (box.isEmpty() || !Box3{box.min - radius, box.max + radius}.holds(place)) return {};
  const auto depth = depthOf(volume, ctx.task);
  if (!depth) return {};
  const float deep = depth->at(place).meters;
  if (!volume->isInside(place))
    return -deep > radius ? std::string()
                          : fmt::format("outside of the volume here, by {:.2g} m", std::max(0.0F, -deep));
  const Range depths = depthsOf(ctx, in, p);
  if (deep < depths.from)
    return fmt::format("{:.2g} m deep here, too near the skin: points lie from {:.2g} m on", deep, depths.from);
  if (deep > depths.to) return fmt::format("{:.2g} m deep here, points lie down to {:.2g} m", deep, depths.to);
  std::string text = fmt::format("{:.2g} m deep here", deep);
  float chance = 1;
  if (const DensityPtr density = p.weight == Weight::Density ? volume->density(ctx.task) : nullptr) {
    const float here = density->at(place);
    text += fmt::format(", density {:.2g} of {:.2g} per m", here, p.fullDensity);
    chance = std::min(1.0F, here / p.fullDensity);
  }
  if (const MaskPtr where = in.mask("where")) {
    Points at;
    at.count = 1;
    at.position = Column<Vec3>(place);
    at.groundNormal = Column<Vec3>(depth->at(place).outward);
    float value = 0;
    where->values(at, 0, 1, &value);
    value = std::clamp(value, 0.0F, 1.0F);
    text += fmt::format(", \"where\" {:.2g}", value);
    chance *= value;
  }
  return chance >= 1 ? text + ": all candidates stay"
                     : text + fmt::format(": {:.{}f} of 100 candidates stay", 100 * chance, chance < 0.1F ? 1 : 0);
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const VolumePtr volume = in.volume();
  const Range depths = depthsOf(ctx, in, p);
  if (depths.to < depths.from)
    return fail(ProblemCode::BadParameter,
                fmt::format("points may lie from {:g} to {:g} m deep, margin included", depths.from, depths.to),
                "Lower the margin or let the depths go further");
  const bool isOfBody = p.lattice == Lattice::Body;
  const Posed* posed = isOfBody ? volume->posed() : nullptr;
  const VolumePtr& filled = posed ? posed->atRest : volume;
  auto depth = posed ? rememberedDepthOf(filled, ctx.task) : depthOf(filled, ctx.task);
  if (!depth) return Failure(cancelled());
  const Fill fill(filled, std::move(depth), p.depths == Depths::Between || depths.from != 0, depths);
  const VolumeDomain domain(ctx.task, fill, isOfBody ? filled->frame() : BodyFrame(),
                            posed ? posed->frame : BodyFrame());
  if (ctx.task.isCancelled()) return Failure(cancelled());
  if (!(domain.total() > 0)) {
    ctx.warn("nothing of the volume is left to sow in",
             volume->bounds().isEmpty() ? "The volume is empty"
                                        : "Its thickest part may be thinner than margin and depths ask");
    return Outputs{std::make_shared<const Points>()};
  }
  MaskPtr where = in.mask("where");
  if (p.weight == Weight::Density && volume->hasDensity()) {
    DensityPtr density = volume->density(ctx.task);
    if (!density) return Failure(cancelled());
    where = std::make_shared<const WeightedMask>(std::move(density), p.fullDensity, std::move(where));
  }
  auto points = sown(ctx, domain, where, p.spacingBy == SpacingBy::Mask ? in.mask("spacing") : nullptr,
                     {p.way == Way::Even, p.amount == Amount::Total, p.density, p.total, p.spacingBy == SpacingBy::Mask,
                      p.spacing, p.spacings, p.evenWhere, p.footprint, p});
  if (!points) return Failure(points.error());
  if (p.way == Way::Even && p.most == Most::Total) *points = someOf(ctx, *points, p.evenTotal);
  if (const auto* found = columnOf<Column<float>>(points->attributes, "depth")) {
    const Array<float> values = found->copied(points->count);
    Array<std::uint8_t> all;
    all.assign(points->count, 1);
    ctx.measured(makeHistogram("depth", " m", 0, 0, values, all));
  }
  return Outputs{std::make_shared<const Points>(std::move(*points))};
}

std::string sentence(const Params& p) {
  std::string text;
  if (p.way == Way::Even)
    text = p.spacingBy == SpacingBy::Fixed ? fmt::format("Even · {:g} m apart", p.spacing)
                                           : fmt::format("Even · {:g} to {:g} m apart", p.spacings.from, p.spacings.to);
  else
    text = p.amount == Amount::Density ? fmt::format("{:g} per m³", p.density) : fmt::format("{} in all", p.total);
  if (p.depths == Depths::Between)
    text += fmt::format(" · {:g} to {:g} m deep", p.depthsBetween.from, p.depthsBetween.to);
  return text;
}

}  // namespace

const NodeKind& sowInVolume() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "sow-in-volume";
    k.family = Family::Scatter;
    k.label = ARVESK_TEXT("node", "Sow in volume");
    k.help = ARVESK_TEXT(
        "node",
        "Scatters points inside of a volume, uniform in place and never in layers. Independent ones go by "
        "density, or an exact total after \"where\". Evenly spaced ones keep a spacing apart and fills the gaps. "
        "Points carry "
        "their depth under the skin, and the way to the nearest skin as their ground's normal, so that Orient lets "
        "leaves look outward. Candidates lie on a lattice of the world: where two bodies overlap they have the same "
        "points. On the body's own lattice its points move and turn along with it, and change a little wherever its "
        "shape does.");
    k.glyph = "sow-in-volume";
    k.synonyms = {"scatter", "fill", "distribute", "density", "points", "inside", "poisson", "blue noise"};
    k.inputs = {
        volumeInput(ARVESK_TEXT("node", "What to scatter in.")),
        whereInput(ARVESK_TEXT("node", "The chance that a candidate stays.")),
        {"spacing", ValueType::Mask, ARVESK_TEXT("node", "Spacing"),
         ARVESK_TEXT("node", "When evenly spaced: 0 gives the first, 1 the second of the two spacings."), true, false},
        {"kit", ValueType::Kit, ARVESK_TEXT("node", "Kit"),
         ARVESK_TEXT("node", "The props that the points get later; the margin may go by what they reach."), true,
         false}};
    k.outputs = {pointsOutput()};
    k.params = {
        param("way", &Params::way, ARVESK_TEXT("node", "Spread"),
              ARVESK_TEXT("node", "Independent: each point by itself. Evenly spaced: no two closer than the spacing."),
              {{"free", ARVESK_TEXT("node", "Independent")}, {"even", ARVESK_TEXT("node", "Evenly spaced")}}),
        param("amount", &Params::amount, ARVESK_TEXT("node", "Amount"),
              ARVESK_TEXT("node", "Points per m³, or a total that is exact after \"where\"."),
              {{"density", ARVESK_TEXT("node", "Density")}, {"total", ARVESK_TEXT("node", "Exact total")}})
            .shown("way", {"free"}),
        param("density", &Params::density, ARVESK_TEXT("node", "Density"),
              ARVESK_TEXT("node", "Points per m³, before \"where\"."))
            .in(Unit::PerCubicMeter)
            .hard(0, 1e9)
            .usual(0, 100, 0.1)
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
            .usual(0.02, 10, 0.01)
            .shown("spacing_by", {"fixed"}),
        param("spacings", &Params::spacings, ARVESK_TEXT("node", "Spacings"),
              ARVESK_TEXT("node",
                          "Spacing where the mask is 0 and where it is 1; two points keep half the sum of theirs."))
            .in(Unit::Meter)
            .hard(0.001, 1e4)
            .usual(0.02, 10, 0.01)
            .shown("spacing_by", {"mask"}),
        evenWhereParam<Params>(&Params::evenWhere),
        param("most", &Params::most, ARVESK_TEXT("node", "Many"),
              ARVESK_TEXT("node", "All that fit at the spacing, or so many of them."),
              {{"all", ARVESK_TEXT("node", "All that fit")}, {"total", ARVESK_TEXT("node", "Exact total")}})
            .shown("way", {"even"}),
        param("even_total", &Params::evenTotal, ARVESK_TEXT("node", "Total"),
              ARVESK_TEXT("node", "How many stay; a warning tells how many fit when that is less."))
            .hard(0, 1e8)
            .usual(0, 100000, 100)
            .shown("most", {"total"}),
        param("depths", &Params::depths, ARVESK_TEXT("node", "Depth"),
              ARVESK_TEXT("node", "Everywhere inside, or only between two depths under the skin."),
              {{"all", ARVESK_TEXT("node", "All depths")}, {"between", ARVESK_TEXT("node", "Between")}}),
        param("depths_between", &Params::depthsBetween, ARVESK_TEXT("node", "Depths"),
              ARVESK_TEXT("node", "Least and largest depth under the skin."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0, 2, 0.01)
            .shown("depths", {"between"}),
    };
    addMarginParams(k.params, &Params::marginBy, &Params::margin,
                    ARVESK_TEXT("node", "One length, or as far as the widest prop of the kit reaches from its pivot."));
    k.params.push_back(param("largest_size", &Params::largestSize, ARVESK_TEXT("node", "At size"),
                             ARVESK_TEXT("node", "The largest size that the props get later; the reach is times that."))
                           .hard(0, 1e3)
                           .usual(0.1, 4, 0.05)
                           .shown("margin_by", {"prop"}));
    k.params.push_back(
        param("lattice", &Params::lattice, ARVESK_TEXT("node", "Lattice of"),
              ARVESK_TEXT("node",
                          "The world: a body that moves goes through fixed points. The body: it carries its "
                          "points along when it is moved or turned."),
              {{"world", ARVESK_TEXT("node", "World")}, {"body", ARVESK_TEXT("node", "Body")}}));
    k.params.push_back(param("footprint", &Params::footprint, ARVESK_TEXT("node", "Footprint"),
                             ARVESK_TEXT("node", "Radius that a point claims until it is given a prop."))
                           .in(Unit::Meter)
                           .hard(0, 1e4)
                           .usual(0, 5, 0.05));
    k.params.push_back(
        param("weight", &Params::weight, ARVESK_TEXT("node", "Weight"),
              ARVESK_TEXT("node",
                          "Of mist and other densities: fewer points where it is thinner, or the same everywhere in "
                          "it. Bodies are as dense everywhere."),
              {{"density", ARVESK_TEXT("node", "By its density")}, {"alike", ARVESK_TEXT("node", "Alike")}}));
    k.params.push_back(param("full_density", &Params::fullDensity, ARVESK_TEXT("node", "Full at"),
                             ARVESK_TEXT("node", "The density from which on all candidates stay."))
                           .in(Unit::PerMeter)
                           .hard(1e-6, 1e6)
                           .usual(0.01, 2, 0.01)
                           .shown("weight", {"density"}));
    addDraftParams<Params>(k.params);
    k.usesSeed = true;
    k.example.params = {{"way", std::string("even")}, {"spacing", 0.8}};
    k.trial.params = {{"most", std::string("total")}};
    reaches<Params>(k, [](const Params& p) {
      if (p.way == Way::Free) return p.amount == Amount::Total ? Reach::whole(true) : Reach::none();
      if (p.most == Most::Total) return Reach::whole(true);
      const float most = (p.spacingBy == SpacingBy::Fixed ? p.spacing : std::max(p.spacings.from, p.spacings.to)) *
                         (p.evenWhere == EvenWhere::Widens ? 4 : 1);
      return Reach::among(12 * static_cast<double>(most), 0, false);
    });
    k.amountParam = "density";
    explainsPlace<Params>(k, &explainPlace);
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
