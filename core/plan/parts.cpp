#include "core/plan/parts.h"

#include "core/plan/plan_index.h"

#include <algorithm>

namespace arvesk {
namespace {

bool hasPoints(const std::vector<OutputSpec>& outputs) {
  return std::any_of(outputs.begin(), outputs.end(), [](const OutputSpec& o) {
    return o.type == ValueType::Points || !o.sameAs.empty() || !o.typeParam.empty();
  });
}
bool hasPoints(const std::vector<InputSpec>& inputs) {
  return std::any_of(inputs.begin(), inputs.end(), [](const InputSpec& i) { return i.takes(ValueType::Points); });
}
bool isOnlyMasks(const std::vector<OutputSpec>& outputs) {
  return std::all_of(outputs.begin(), outputs.end(), [](const OutputSpec& o) { return o.type == ValueType::Mask; });
}

/// How far points go in the kind, or about which they are made; nothing where that is not known.
std::optional<Carries> carriesOf(const NodeKind& kind, const ParamMap& params) {
  if (kind.remembers && kind.remembers(params)) return {};  // the frames before are worked out whole
  if (isOnlyMasks(kind.outputs)) return Carries{};
  if (!hasPoints(kind.outputs)) return {};  // bodies and grounds made of points are of all of them
  if (kind.carriesOf) return kind.carriesOf(params);
  if (!hasPoints(kind.inputs) && kind.makesParts && kind.makesParts(params)) return Carries{};
  return {};
}

}  // namespace

double roomNeeded(const NodeKind& kind, const ParamMap& params, const Inputs& inputs) {
  const double times = kind.reach(params).footprints;
  if (!(times > 0)) return 0;
  Most most{0, 0};
  for (const InputSpec& input : kind.inputs) most = most.with(inputs.mostAt(input.id));
  return most.effective() > 0 ? times * static_cast<double>(most.effective()) : 0;
}

Part neededAt(const NodeKind& kind, const ParamMap& params, const InputSpec& input, const Part& wanted, double wider) {
  const bool isOfPlaces = input.takes(ValueType::Points) || input.takes(ValueType::Mask);
  const std::optional<Carries> carries = carriesOf(kind, params);
  if (!isOfPlaces || !carries) return {};
  const Reach reach = kind.reach(params);
  const Part own = wanted.grown(carries->across + wider, wider > 0 ? Part::kAll : carries->up);
  // The points of a mask's inputs are never the ones that it is asked of.
  const bool isMain = &input == &kind.inputs.front() && input.type == ValueType::Points && !isOnlyMasks(kind.outputs);
  const bool isMasks = !input.takes(ValueType::Points);
  // Up and down nothing is left out: many kinds look from above. How far footprints go is asked for by who knows them.
  const auto within = [&](double meters) { return own.grown(meters, Part::kAll); };
  switch (reach.of) {
    case Reach::Of::Itself: return isMain || isMasks || input.isPerPoint ? own : Part{};
    case Reach::Of::WholeSet: return !reach.isAmongItsOwn && (isMain || isMasks) ? own : Part{};
    case Reach::Of::Meters: break;
  }
  if (reach.isStrict && reach.footprints > 0 && !reach.isAmongItsOwn && (isMain || isMasks))
    return wanted.grown(carries->across, carries->up);  // it is others whose room is looked for
  if (reach.isStrict) return within(reach.meters);
  if (const auto begins = kind.beginsWith ? kind.beginsWith(params) : std::nullopt) return within(*begins);
  return {};
}

std::map<std::string, Part> neededParts(const Plan& plan, const std::vector<std::string>& wanted, const Part& part,
                                        const std::map<std::string, double>& wider) {
  const PlanIndex index(plan);
  PlanOrder order(index);
  std::map<std::string, Part> out;
  const auto want = [&](const Node& node, const Part& where) {
    const auto [it, isNew] = out.try_emplace(node.uid, where);
    if (!isNew) it->second = it->second.with(where);
  };
  for (const Node& node : plan.nodes)
    if (wanted.empty()) {
      order.add(node);
      want(node, part);
    }
  for (const std::string& uid : wanted)
    if (const Node* node = index.find(uid)) {
      order.add(*node);
      want(*node, part);
    }
  const std::vector<const Node*> nodes = order.nodes();
  for (auto it = nodes.rbegin(); it != nodes.rend(); ++it) {  // who takes comes before what it takes from
    const Node& node = **it;
    const NodeKind* kind = kindOf(node);
    const auto found = out.find(node.uid);
    const Part own = found == out.end() ? Part{} : found->second;
    const auto more = wider.find(node.uid);
    for (const auto& [id, links] : node.inputs) {
      const InputSpec* input = kind ? kind->findInput(id) : nullptr;
      const bool isPassedOn = node.isSkipped && kind && input == &kind->inputs.front();
      const Part needed = !input || order.isLooped(node) ? Part{}
                          : isPassedOn
                              ? own
                              : neededAt(*kind, node.params, *input, own, more == wider.end() ? 0 : more->second);
      for (const Link& link : links)
        if (const Node* source = index.find(link.node)) want(*source, needed);
    }
  }
  return out;
}

PointsPtr pointsIn(const Part& part, const PointsPtr& points) {
  if (!points || part.isAll()) return points;
  Array<std::uint32_t> inside;
  for (std::size_t i = 0; i < points->count; ++i)
    if (part.holds(points->position[i])) inside.push_back(static_cast<std::uint32_t>(i));
  if (inside.size() == points->count) return points;
  return std::make_shared<const Points>(gathered(*points, inside));
}

}  // namespace arvesk
