// Rules that name props: "post_*: mooring post; lamp_*: lamp", and for ranges "0 to 0.3: marram*; 0.3 to 1: sea kale".
#pragma once

#include "core/base/band.h"
#include "core/base/result.h"

#include <vector>

namespace arvesk::nodes {

struct PropRule {
  std::string left;   // what it is for: a name pattern, or a range's text
  std::string props;  // pattern of prop names (* and ?)
  Range range{0, 1};  // of ranges
};

/// Rules are separated by ";". Fails with the rule that has no ":" or an empty side.
Result<std::vector<PropRule>> parseNameRules(const std::string& text);
/// As above, with "from to to" (or "from-to") on the left, both ends within 0…1.
Result<std::vector<PropRule>> parseRangeRules(const std::string& text);

}  // namespace arvesk::nodes
