// Formulas: compiled, and worked out for a few rows.
#include "core/base/formula.h"
#include "tests/fuzz/fuzz.h"

#include <array>
#include <cmath>

using namespace arvesk;

int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const auto formula = Formula::compile(std::string(fuzz::textOf(data, size)));
  if (!formula) return 0;
  const std::array<double, 4> rows{0, -1.5, 1e300, 1};
  const std::vector<const double*> columns(formula->names().size(), rows.data());
  std::array<double, 4> out{};
  formula->evaluate(columns, rows.size(), out.data());
  for (const double v : out) fuzz::require(std::isfinite(v), "values are finite");
  return 0;
}
