#include "core/plan/node_kind.h"

namespace arvesk {

NodeKind::NodeKind() = default;
NodeKind::NodeKind(const NodeKind&) = default;
NodeKind::NodeKind(NodeKind&&) noexcept = default;
NodeKind& NodeKind::operator=(const NodeKind&) = default;
NodeKind& NodeKind::operator=(NodeKind&&) noexcept = default;
NodeKind::~NodeKind() = default;

std::optional<Most> NodeKind::most(const ParamMap& values, const Inputs& in) const {
  if (mostOf) return mostOf(values, in);
  // Filters hand on what came in. One that may carry points anywhere may do more: pieces of what it breaks.
  if (family == Family::Thin && carriesOf) return in.mostAt(inputs.front().id);
  return {};
}

void keepsSizes(NodeKind& kind) {
  kind.mostOf = [main = kind.inputs.front().id](const ParamMap&, const Inputs& in) {
    return std::optional(in.mostAt(main));
  };
}

void carriesNowhere(NodeKind& kind) {
  kind.carriesOf = [](const ParamMap&) { return std::optional(Carries{}); };
}

const char* familyLabel(Family family) {
  switch (family) {
    case Family::Ground: return ARVESK_TEXT("family", "Ground");
    case Family::Scatter: return ARVESK_TEXT("family", "Scatter");
    case Family::Mask: return ARVESK_TEXT("family", "Mask");
    case Family::Thin: return ARVESK_TEXT("family", "Thin");
    case Family::Adjust: return ARVESK_TEXT("family", "Adjust");
    case Family::Dress: return ARVESK_TEXT("family", "Dress");
    case Family::Deliver: return ARVESK_TEXT("family", "Deliver");
    case Family::SubPlan: return ARVESK_TEXT("family", "Sub-plans");
  }
  return "";
}

const ParamSpec* NodeKind::findParam(const std::string& paramId) const {
  for (const ParamSpec& p : params)
    if (p.id == paramId) return &p;
  return nullptr;
}

const InputSpec* NodeKind::findInput(const std::string& inputId) const {
  for (const InputSpec& i : inputs)
    if (i.id == inputId) return &i;
  return nullptr;
}

int NodeKind::outputIndex(const std::string& outputId) const {
  for (std::size_t i = 0; i < outputs.size(); ++i)
    if (outputs[i].id == outputId) return static_cast<int>(i);
  return -1;
}

int NodeKind::leftOutIndex() const {
  for (std::size_t i = 0; i < outputs.size(); ++i)
    if (outputs[i].isLeftOut) return static_cast<int>(i);
  return -1;
}

const NodeKind* findNodeKind(const std::string& id) {
  for (const NodeKind* kind : allNodeKinds())
    if (kind->id == id) return kind;
  return nullptr;
}

bool isShown(const NodeKind& kind, const ParamSpec& spec, const ParamMap& values) {
  if (const ParamSpec* count = spec.countedBy.empty() ? nullptr : kind.findParam(spec.countedBy)) {
    const auto it = values.find(count->id);
    const auto* number = std::get_if<double>(it == values.end() ? &count->defaultValue : &it->second);
    if (number && *number < spec.countedFrom) return false;
  }
  if (spec.shownBy.empty()) return true;
  const ParamSpec* by = kind.findParam(spec.shownBy);
  if (!by || !isShown(kind, *by, values)) return false;
  const auto it = values.find(by->id);
  const ParamValue& value = it == values.end() ? by->defaultValue : it->second;
  const auto* choice = std::get_if<std::string>(&value);
  const std::string now = choice ? *choice : std::get<bool>(value) ? "on" : "off";
  return std::find(spec.shownFor.begin(), spec.shownFor.end(), now) != spec.shownFor.end();
}

std::size_t NodeKind::usedOutputs(const ParamMap& values) const {
  const ParamSpec* spec = outputsParam.empty() ? nullptr : findParam(outputsParam);
  if (!spec) return outputs.size();
  const auto it = values.find(spec->id);
  const auto* number = std::get_if<double>(it == values.end() ? &spec->defaultValue : &it->second);
  return number ? std::min(outputs.size(), static_cast<std::size_t>(std::max(0.0, *number))) : outputs.size();
}

bool passesMain(const NodeKind& kind) {
  return !kind.inputs.empty() && !kind.outputs.empty() &&
         (kind.inputs.front().type == kind.outputs.front().type ||
          kind.outputs.front().sameAs == kind.inputs.front().id);
}

const NodeKind* bridgeTo(const InputSpec& input, ValueType from) {
  if (input.takes(from)) return nullptr;
  for (const NodeKind* kind : allNodeKinds())
    if (kind->isBridge && kind->inputs.front().takes(from) && input.takes(kind->outputs.front().type)) return kind;
  return nullptr;
}

InputSpec pointsInput() {
  return {"points",
          ValueType::Points,
          ARVESK_TEXT("node", "Points"),
          ARVESK_TEXT("node", "The points to work on."),
          false,
          false,
          {},
          true};
}
InputSpec pointsWithPropsInput() {
  InputSpec input = pointsInput();
  input.needsProps = true;
  return input;
}
InputSpec groundInput(bool isOptional) {
  return {"ground",
          ValueType::Surface,
          ARVESK_TEXT("node", "Ground"),
          ARVESK_TEXT("node", "The surface to look at."),
          isOptional,
          false};
}
InputSpec whereInput(std::string help) {
  return {"where", ValueType::Mask, ARVESK_TEXT("node", "Where"), std::move(help), true, false};
}
InputSpec volumeInput(std::string help, bool isOptional) {
  return {"volume", ValueType::Volume, ARVESK_TEXT("node", "Volume"), std::move(help), isOptional, false};
}
OutputSpec volumeOutput() { return {"volume", ValueType::Volume, ARVESK_TEXT("node", "Volume")}; }
OutputSpec pointsOutput() { return {"points", ValueType::Points, ARVESK_TEXT("node", "Points")}; }
OutputSpec leftOutOutput() { return {"left_out", ValueType::Points, ARVESK_TEXT("node", "Left out"), {}, true}; }

}  // namespace arvesk
