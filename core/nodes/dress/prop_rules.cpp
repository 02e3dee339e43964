#include "core/nodes/dress/prop_rules.h"

#include <fmt/format.h>

#include <charconv>

namespace arvesk::nodes {
namespace {

std::string trimmed(const std::string& text) {
  const std::size_t begin = text.find_first_not_of(" \t\n");
  if (begin == std::string::npos) return {};
  return text.substr(begin, text.find_last_not_of(" \t\n") - begin + 1);
}

bool readNumber(const std::string& text, float& out) {
  const std::string t = trimmed(text);
  const auto [end, error] = std::from_chars(t.data(), t.data() + t.size(), out);
  return !t.empty() && error == std::errc() && end == t.data() + t.size();
}

}  // namespace

Result<std::vector<PropRule>> parseNameRules(const std::string& text) {
  std::vector<PropRule> rules;
  for (std::size_t at = 0; at <= text.size();) {
    const std::size_t end = std::min(text.find(';', at), text.size());
    const std::string rule = trimmed(text.substr(at, end - at));
    at = end + 1;
    if (rule.empty()) continue;
    const std::size_t colon = rule.find(':');
    if (colon == std::string::npos || trimmed(rule.substr(0, colon)).empty() || trimmed(rule.substr(colon + 1)).empty())
      return fail(ProblemCode::BadParameter, fmt::format("the rule \"{}\" has not the form \"what: prop\"", rule), "Write such as \"post_*: mooring post; lamp_*: lamp\"");
    rules.push_back({trimmed(rule.substr(0, colon)), trimmed(rule.substr(colon + 1)), {0, 1}});
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
    const bool isGood = split != std::string::npos && readNumber(rule.left.substr(0, split), rule.range.from) && readNumber(rule.left.substr(after), rule.range.to);
    if (!isGood || rule.range.from < 0 || rule.range.to > 1 || rule.range.from > rule.range.to)
      return fail(ProblemCode::BadParameter, fmt::format("\"{}\" is not a range within 0 to 1", rule.left), "Write such as \"0 to 0.3: marram*; 0.3 to 1: sea kale\"");
  }
  return rules;
}

}  // namespace arvesk::nodes
