// Goes out: an output of a sub-plan, seen from inside.
#include "core/nodes/registry.h"
#include "core/plan/sub_plan.h"

namespace arvesk::nodes {
namespace {

struct Params {
  std::string help;
};

Result<Outputs> evaluate(const EvalContext&, const Inputs& in, const Params&) { return Outputs{*in.first(kWayValue)}; }

std::string sentence(const Params&) { return "Goes out"; }

}  // namespace

const NodeKind& wayOut() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = kWayOut;
    k.family = Family::SubPlan;
    k.label = ARVESK_TEXT("node", "Goes out");
    k.help = ARVESK_TEXT("node",
                         "An output of a sub-plan: what is connected here is what the sub-plan gives. Its title is the "
                         "name of the output; the first one is what is shown of the sub-plan.");
    k.glyph = "way-out";
    k.synonyms = {"result", "exit", "interface"};
    k.inputs = {{kWayValue,
                 ValueType::Points,
                 ARVESK_TEXT("node", "What goes out"),
                 ARVESK_TEXT("node", "What the sub-plan gives."),
                 false,
                 false,
                 {ValueType::Surface, ValueType::Volume, ValueType::Mask, ValueType::Kit},
                 true}};
    k.outputs = {{kWayValue, ValueType::Points, ARVESK_TEXT("node", "What goes out"), kWayValue}};
    k.params = {param("help", &Params::help, ARVESK_TEXT("node", "Help"),
                      ARVESK_TEXT("node", "What users of the sub-plan read of this output."))};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
