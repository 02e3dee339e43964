// --set, on a plan that has a node of each kind.
#include "core/formats/plan_file.h"
#include "core/plan/set_param.h"
#include "tests/fuzz/fuzz.h"

using namespace arvesk;

namespace {

Plan planOfAll() {
  Plan plan;
  for (const NodeKind* kind : allNodeKinds()) {
    Node node;
    node.uid = node.kind = node.title = kind->id;
    node.version = kind->version;
    plan.nodes.push_back(std::move(node));
  }
  plan.dials.push_back({"dial", "apart", 1, 2, {}});
  return plan;
}

}  // namespace

int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  static const Plan all = planOfAll();
  Plan plan = all;
  std::string_view text = fuzz::textOf(data, size);
  while (!text.empty()) {
    const std::size_t end = std::min(text.find('\n'), text.size());
    (void)setParamByText(plan, std::string(text.substr(0, end)));
    text.remove_prefix(std::min(end + 1, text.size()));
  }
  // Only what was set: reading and writing all the others again finds nothing new.
  for (std::size_t i = plan.nodes.size(); i-- > 0;)
    if (plan.nodes[i].params == all.nodes[i].params)
      plan.nodes.erase(plan.nodes.begin() + static_cast<std::ptrdiff_t>(i));
  const auto again = parsePlan(formatPlan(plan), "fuzz.arvesk");
  fuzz::require(again.has_value(), "what was set can be saved and read");
  fuzz::require(again->nodes.size() == plan.nodes.size(), "with all nodes");
  for (std::size_t i = 0; i < plan.nodes.size(); ++i)
    fuzz::require(again->nodes[i].params == plan.nodes[i].params && again->nodes[i].refusal().empty(),
                  "and with what was set");
  return 0;
}
