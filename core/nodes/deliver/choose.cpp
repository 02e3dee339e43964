// Choose: one of several inputs.
#include "core/nodes/ground/voxels.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params {
  int number = 1;
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const auto& links = in.many("points");
  if (p.number < 1 || static_cast<std::size_t>(p.number) > links.size())
    return fail(ProblemCode::BadParameter, fmt::format("number is {}, but there are {} inputs", p.number, links.size()),
                "Set a number from 1 to the number of inputs");
  const Inputs::Link& chosen = links[static_cast<std::size_t>(p.number - 1)];
  if (chosen.isEmpty())
    return fail(ProblemCode::MissingInput, fmt::format("nothing comes in at place {}", p.number),
                "Connect something there, or choose another number");
  if (const auto* volume = std::get_if<VolumePtr>(&chosen.value)) ctx.say(voxelWords(**volume));
  return Outputs{chosen.value};
}

std::string sentence(const Params& p) { return fmt::format("Choose · number {}", p.number); }

}  // namespace

const NodeKind& choose() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "choose";
    k.family = Family::Deliver;
    k.label = ARVESK_TEXT("node", "Choose");
    k.help = ARVESK_TEXT(
        "node", "Passes on one of several inputs of one type, by number: points, surfaces, volumes, masks or kits.");
    k.glyph = "choose";
    k.synonyms = {"switch", "select", "variant"};
    k.inputs = {{"points",
                 ValueType::Points,
                 ARVESK_TEXT("node", "Choices"),
                 ARVESK_TEXT("node", "What to choose from, in order; all of one type."),
                 false,
                 true,
                 {ValueType::Surface, ValueType::Mask, ValueType::Kit, ValueType::Volume},
                 true}};
    k.outputs = {{"points", ValueType::Points, ARVESK_TEXT("node", "Chosen"), "points"}};
    carriesNowhere(k);
    keepsSizes(k);
    k.params = {param("number", &Params::number, ARVESK_TEXT("node", "Number"),
                      ARVESK_TEXT("node", "Which input passes, from 1."))
                    .hard(1, 1000)
                    .usual(1, 10, 1)};
    k.example.spacing = 2.2;
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
