// Order: which point comes first.
#include "core/base/sorting.h"
#include "core/nodes/carried_names.h"
#include "core/nodes/registry.h"
#include "core/props/quantities.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

enum class By { Axis, Number, Chance, Place };
enum class Axis { X, Y, Z };
struct Params {
  By by = By::Axis;
  Axis axis = Axis::X;
  std::string number = "size";
  Vec3 place{0};
  bool isReversed = false;
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  Array<double> key(points.count);
  if (p.by == By::Number) {
    Array<float> value(points.count);
    if (!readNumbers(points, p.number, 0, points.count, value.data()))
      return fail(ProblemCode::WrongInput, fmt::format("the points carry no number \"{}\"", p.number),
                  "Numbers are attributes and x, y, z, height, slope, size, footprint");
    for (std::size_t i = 0; i < points.count; ++i) key[i] = static_cast<double>(value[i]);
  }
  const Draw draw = ctx.draw("order");
  for (std::size_t i = 0; i < points.count; ++i) {
    if (p.by == By::Axis) key[i] = static_cast<double>(points.position[i][static_cast<int>(p.axis)]);
    if (p.by == By::Chance) key[i] = unitDouble(draw.bits(points.id[i]));
    if (p.by == By::Place) key[i] = static_cast<double>(glm::distance(points.position[i], p.place));
    if (p.isReversed) key[i] = -key[i];
  }
  Array<std::uint32_t> order(points.count);
  for (std::size_t i = 0; i < points.count; ++i) order[i] = static_cast<std::uint32_t>(i);
  sortLarge(order, [&](std::uint32_t a, std::uint32_t b) {
    return key[a] != key[b] ? key[a] < key[b] : points.id[a] < points.id[b];
  });
  if (ctx.task.isCancelled()) return Failure(cancelled());
  return Outputs{std::make_shared<const Points>(gathered(points, order))};
}

std::string sentence(const Params& p) {
  constexpr std::array axes{"x", "y", "z"};
  const std::string by = p.by == By::Axis     ? fmt::format("along {}", axes[static_cast<std::size_t>(p.axis)])
                         : p.by == By::Number ? "by " + p.number
                         : p.by == By::Chance ? std::string("at random")
                                              : std::string("from a place");
  return fmt::format("Order · {}{}", by, p.isReversed ? ", reversed" : "");
}

}  // namespace

const NodeKind& order() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "order";
    k.family = Family::Adjust;
    k.label = ARVESK_TEXT("node", "Order");
    k.help = ARVESK_TEXT("node",
                         "Puts the points in an order: along an axis, by a number they carry, at random, or by the "
                         "distance from a place; ties go by id. The order is what Clearance (earlier stays), every "
                         "n-th and cycles go by. It looks at the whole set.");
    k.glyph = "order";
    k.synonyms = {"sort", "sequence", "shuffle", "index"};
    k.inputs = {pointsInput()};
    offersAttributes(k, "number", Carried::Numbers);
    k.outputs = {pointsOutput()};
    k.params = {
        param("by", &Params::by, ARVESK_TEXT("node", "Sort by"), ARVESK_TEXT("node", "What comes first."),
              {{"axis", ARVESK_TEXT("node", "Axis")},
               {"number", ARVESK_TEXT("node", "A number")},
               {"chance", ARVESK_TEXT("node", "At random")},
               {"place", ARVESK_TEXT("node", "Distance from a place")}}),
        param("axis", &Params::axis, ARVESK_TEXT("node", "Axis"), ARVESK_TEXT("node", "Of the world."),
              {{"x", "X"}, {"y", "Y"}, {"z", "Z"}})
            .shown("by", {"axis"}),
        param("number", &Params::number, ARVESK_TEXT("node", "Attribute"),
              ARVESK_TEXT("node", "Name of an attribute, or x, y, z, height, slope, size, footprint."))
            .shown("by", {"number"}),
        param("place", &Params::place, ARVESK_TEXT("node", "Place"), ARVESK_TEXT("node", "Nearest first."))
            .in(Unit::Meter)
            .hard(-1e5, 1e5)
            .usual(-100, 100, 0.5)
            .shown("by", {"place"}),
        param("reversed", &Params::isReversed, ARVESK_TEXT("node", "Reversed"),
              ARVESK_TEXT("node", "The last one first.")),
    };
    k.usesSeed = true;
    k.reachOf = [](const ParamMap&) { return Reach::whole(true); };
    k.example.spacing = 0.7;
    k.example.shows = ExampleShows::Order;
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
