#include "core/nodes/dress/prop_rules.h"

#include "core/base/number_text.h"

#include <fmt/format.h>

namespace arvesk::nodes {

Result<std::vector<PropRule>> parseNameRules(const std::string& text) {
  std::vector<PropRule> rules;
  for (std::size_t at = 0; at <= text.size();) {
    const std::size_t end = std::min(text.find(';', at), text.size());
    const std::string rule(trimmed(std::string_view(text).substr(at, end - at)));
    at = end + 1;
    if (rule.empty()) continue;
    const std::size_t colon = rule.find(':');
    const std::string left(trimmed(std::string_view(rule).substr(0, colon)));
    const std::string right(colon == std::string::npos ? std::string_view()
                                                       : trimmed(std::string_view(rule).substr(colon + 1)));
    if (left.empty() || right.empty())
      return fail(ProblemCode::BadParameter, fmt::format("the rule \"{}\" has not the form \"what: prop\"", rule),
                  "Write such as \"post_*: mooring post; lamp_*: lamp\"");
    rules.push_back({left, right, {0, 1}});
  }
  return rules;
}

Result<std::vector<PropRule>> parseRangeRules(const std::string& text) {
  auto rules = parseNameRules(text);
  if (!rules) return rules;
  for (PropRule& rule : *rules) {
    const std::size_t word = rule.left.find(" to ");
    const std::size_t split = word != std::string::npos ? word : rule.left.find('-');
    const std::size_t after = split == std::string::npos ? 0 : split + (word != std::string::npos ? 4 : 1);
    const auto from = split == std::string::npos ? std::nullopt : numberIn<float>(rule.left.substr(0, split));
    const auto to = split == std::string::npos ? std::nullopt : numberIn<float>(rule.left.substr(after));
    if (!from || !to || *from < 0 || *to > 1 || *from > *to)
      return fail(ProblemCode::BadParameter, fmt::format("\"{}\" is not a range within 0 to 1", rule.left),
                  "Write such as \"0 to 0.3: marram*; 0.3 to 1: sea kale\"");
    rule.range = {*from, *to};
  }
  return rules;
}

}  // namespace arvesk::nodes
