// Plans: read, checked, written, and read again.
#include "core/formats/plan_file.h"
#include "core/plan/plan_index.h"
#include "tests/fuzz/fuzz.h"

using namespace arvesk;

int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  auto plan = parsePlan(std::string(fuzz::textOf(data, size)), "fuzz.arvesk");
  if (!plan) return 0;
  (void)checkPlan(*plan);
  PlanIndex index(*plan);
  PlanOrder order(index);
  for (const Node& node : plan->nodes) order.add(node);
  plan->settings.seed ^= 1;  // so that it is not the text that was read
  const std::string written = formatPlan(*plan);
  const auto again = parsePlan(written, "fuzz.arvesk");
  fuzz::require(again.has_value(), "what is written can be read");
  fuzz::require(formatPlan(*again) == written, "what was read is written as it stood");
  return 0;
}
