// Choose props: some of the plan's props, with weights.
#include "core/base/pattern.h"
#include "core/nodes/registry.h"
#include "core/plan/document.h"
#include "core/plan/prop_making.h"

#include <fmt/format.h>

#include <set>

#include <algorithm>

namespace arvesk::nodes {
namespace {

struct Params {
  PropChoices props;
  std::string pattern;
  std::string tags;
};

bool hasTag(const std::string& wanted, const std::vector<std::string>& tags) {
  return std::any_of(tags.begin(), tags.end(), [&](const std::string& tag) { return matchesAny(wanted, tag); });
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs&, const Params& p) {
  auto kit = std::make_shared<Kit>();
  const auto find = [&](const std::string& uid) {
    return std::find_if(ctx.props->begin(), ctx.props->end(), [&](const PropPtr& prop) { return prop->uid == uid; });
  };
  for (const PropChoice& choice : p.props) {
    const auto it = find(choice.prop);
    if (it == ctx.props->end())
      ctx.warn(fmt::format("the prop \"{}\" is not in the Kit", choice.prop),
               "Add it in the Kit, or take it off the list");
    else if (choice.isOn)
      kit->entries.push_back({*it, static_cast<float>(choice.weight)});
  }
  std::vector<std::string> names;
  std::set<std::string> tags;
  for (const PropPtr& prop : *ctx.props) {
    names.push_back(prop->name);
    tags.insert(prop->tags.begin(), prop->tags.end());
  }
  ctx.warnUnmatched(Patterns(p.pattern), names, "prop");
  ctx.warnUnmatched(Patterns(p.tags), {tags.begin(), tags.end()}, "tag");
  for (const PropPtr& prop : *ctx.props) {
    const bool isListed = std::any_of(p.props.begin(), p.props.end(),
                                      [&](const PropChoice& c) { return c.prop == prop->uid; });
    if (!isListed && (matchesAny(p.pattern, prop->name) || hasTag(p.tags, prop->tags)))
      kit->entries.push_back({prop, prop->weight});
  }
  for (const KitEntry& e : kit->entries)
    if (e.prop->isMissing)
      ctx.warn(fmt::format("the file of {} could not be read; its points stay empty", e.prop->name),
               "Fix it in the Kit, or take it off the list");
  if (kit->entries.empty())
    return fail(ProblemCode::MissingInput, "no prop is chosen",
                "Choose props on the Bench, or a name pattern that fits some");
  return Outputs{KitPtr(kit)};
}

std::string sentence(const Params& p) {
  const auto on = static_cast<std::size_t>(
      std::count_if(p.props.begin(), p.props.end(), [](const PropChoice& c) { return c.isOn; }));
  if (p.pattern.empty() && !p.tags.empty())
    return on == 0 ? fmt::format("props tagged {}", p.tags) : fmt::format("{} and those tagged {}", on, p.tags);
  if (p.pattern.empty()) return on == 1 ? "1 prop" : fmt::format("{} props", on);
  return on == 0 ? fmt::format("props {}", p.pattern) : fmt::format("{} and {}", on, p.pattern);
}

}  // namespace

const NodeKind& chooseProps() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "choose-props";
    k.family = Family::Dress;
    k.label = ARVESK_TEXT("node", "Choose props");
    k.help = ARVESK_TEXT("node",
                         "Picks some of the plan's props, by hand with a weight each, by name pattern and by tag. "
                         "Their order is that of the list, then that of the Kit.");
    k.glyph = "kit";
    k.synonyms = {"assets", "models", "kit", "collection"};
    k.outputs = {{"kit", ValueType::Kit, ARVESK_TEXT("node", "Kit")}};
    k.params = {
        param("props", &Params::props, ARVESK_TEXT("node", "Props"),
              ARVESK_TEXT("node", "Props chosen by hand; a weight of 2 comes up twice as often as 1.")),
        param("pattern", &Params::pattern, ARVESK_TEXT("node", "Names"),
              ARVESK_TEXT(
                  "node",
                  "Also all props whose name fits, with * and ? as wildcards, separated by semicolons; they weigh what "
                  "the Kit says.")),
        param("tags", &Params::tags, ARVESK_TEXT("node", "Tags"),
              ARVESK_TEXT("node", "Also all props with one of these tags.")),
    };
    const auto specs = std::make_shared<const std::vector<ParamSpec>>(k.params);
    k.usesProp = [specs](const ParamMap& values, const PropEntry& entry) {
      const auto p = readParams<Params>(*specs, values);
      return std::any_of(p.props.begin(), p.props.end(), [&](const PropChoice& c) { return c.prop == entry.uid; }) ||
             matchesAny(p.pattern, entry.name) || hasTag(p.tags, tagsOf(entry.tags));
    };
    k.example.params["props"] = PropChoices{{"post", 1, true}, {"block", 1, true}, {"tuft", 1, true}};
    k.trial.params = {{"pattern", std::string("*")}};
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
