#include "core/plan/sub_plan.h"

#include "core/base/formula.h"
#include "core/base/number_text.h"
#include "core/plan/keys.h"
#include "core/plan/plan_index.h"

#include <fmt/format.h>

#include <algorithm>
#include <set>
#include <sstream>

namespace arvesk {

const Node* SubPlan::find(const std::string& nodeUid) const {
  const auto it = std::find_if(nodes.begin(), nodes.end(), [&](const Node& n) { return n.uid == nodeUid; });
  return it == nodes.end() ? nullptr : &*it;
}

const FrontControl* SubPlan::findFront(const std::string& id) const {
  const auto it = std::find_if(fronts.begin(), fronts.end(), [&](const FrontControl& f) { return f.id == id; });
  return it == fronts.end() ? nullptr : &*it;
}

ParamSpec specOf(const FrontControl& c) {
  ParamSpec spec;
  spec.id = c.id;
  spec.type = c.type;
  spec.label = c.label;
  spec.help = c.help;
  spec.group = c.group;
  spec.unit = c.unit;
  spec.hardMin = c.least;
  spec.hardMax = c.most;
  spec.usualMin = c.usualLeast;
  spec.usualMax = c.usualMost;
  spec.step = c.step;
  spec.options = c.options;
  spec.form = c.form;
  spec.fileKind = c.fileKind;
  spec.isOptional = true;  // whether a file must be there, the node inside knows
  spec.shownBy = c.shownBy;
  spec.shownFor = c.shownFor;
  spec.defaultValue = c.usual;
  return spec;
}

FrontControl frontLike(const ParamSpec& spec, const std::string& id, ParamValue usual) {
  FrontControl c;
  c.id = id;
  c.type = spec.type;
  c.label = spec.label;
  c.help = spec.help;
  c.unit = spec.unit;
  c.least = spec.hardMin;
  c.most = spec.hardMax;
  c.usualLeast = spec.usualMin;
  c.usualMost = spec.usualMax;
  c.step = spec.step;
  c.options = spec.options;
  c.form = spec.form;
  c.fileKind = spec.fileKind;
  c.usual = std::move(usual);
  return c;
}

const ParamValue& valueOf(const Node& instance, const FrontControl& control) {
  const auto it = instance.params.find(control.id);
  return it == instance.params.end() ? control.usual : it->second;
}

std::string faultOfFrontId(const std::vector<FrontControl>& fronts, const std::string& id) {
  const auto isWord = [](char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_';
  };
  if (id.empty() || !std::all_of(id.begin(), id.end(), isWord) || (id[0] >= '0' && id[0] <= '9'))
    return "a front control's name is letters, digits and _, and does not start with a digit";
  for (const FrontControl& f : fronts)
    if (f.id == id) return fmt::format("there is a front control \"{}\" already", id);
  if (const auto formula = Formula::compile(id); !formula || formula->names().empty())
    return fmt::format("\"{}\" has a meaning of its own in formulas", id);
  return {};
}

std::optional<double> frontNumber(const FrontControl& control, const ParamValue& value, const std::string& name) {
  if (name == control.id) {
    if (const auto* number = std::get_if<double>(&value)) return *number;
    if (const auto* truth = std::get_if<bool>(&value)) return *truth ? 1 : 0;
    if (const auto* choice = std::get_if<std::string>(&value); choice && control.type == ParamType::Choice)
      for (std::size_t i = 0; i < control.options.size(); ++i)
        if (control.options[i].id == *choice) return static_cast<double>(i + 1);
    return {};
  }
  const std::size_t stem = control.id.size();
  if (!name.starts_with(control.id) || name.size() < stem + 2 || name[stem] != '_') return {};
  const auto part = numberIn<unsigned>(std::string_view(name).substr(stem + 1));
  const auto* numbers = std::get_if<std::vector<double>>(&value);
  if (!part || !numbers || *part < 1 || *part > numbers->size()) return {};
  return (*numbers)[*part - 1];
}

namespace {

/// A value in few words, for cards.
std::string valueWords(const FrontControl& c, const ParamValue& value) {
  if (const auto* truth = std::get_if<bool>(&value)) return *truth ? "on" : "off";
  if (const auto* number = std::get_if<double>(&value)) return fmt::format("{:g}{}", *number, unitSuffix(c.unit));
  if (const auto* text = std::get_if<std::string>(&value)) {
    for (const Option& o : c.options)
      if (o.id == *text) return o.label;
    return *text;
  }
  if (const auto* numbers = std::get_if<std::vector<double>>(&value)) {
    std::string out;
    const char* between = c.type == ParamType::Range || c.type == ParamType::Band ? " to " : ", ";
    for (std::size_t i = 0; i < numbers->size(); ++i)
      out += fmt::format("{}{:g}", i == 0 ? "" : between, (*numbers)[i]);
    return out + unitSuffix(c.unit);
  }
  if (const auto* choices = std::get_if<PropChoices>(&value)) return fmt::format("{} props", choices->size());
  return {};
}

std::string sentenceFor(const SubPlan& s, const ParamMap& values) {
  const auto valueOf = [&](const FrontControl& c) {
    const auto it = values.find(c.id);
    return valueWords(c, it == values.end() ? c.usual : it->second);
  };
  std::string out;
  if (s.sentence.empty()) {  // its first controls say what it does, as far as they say something
    for (const FrontControl& c : s.fronts) {
      const std::string words = valueOf(c);
      if (!words.empty() && out.size() < 60) out += fmt::format("{}{} {}", out.empty() ? "" : " · ", c.label, words);
    }
    return out.empty() ? s.name : out;
  }
  for (std::size_t at = 0; at < s.sentence.size();) {
    const std::size_t open = s.sentence.find('{', at);
    const std::size_t close = open == std::string::npos ? open : s.sentence.find('}', open);
    if (close == std::string::npos) return out + s.sentence.substr(at);
    out += s.sentence.substr(at, open - at);
    const FrontControl* control = s.findFront(s.sentence.substr(open + 1, close - open - 1));
    out += control ? valueOf(*control) : s.sentence.substr(open, close - open + 1);
    at = close + 1;
  }
  return out;
}

template <typename T>
T paramOf(const Node& node, const char* id, T otherwise) {
  const auto it = node.params.find(id);
  const T* value = it == node.params.end() ? nullptr : std::get_if<T>(&it->second);
  return value ? *value : otherwise;
}

std::vector<std::string> wordsIn(const std::string& text) {
  std::vector<std::string> out;
  std::istringstream words(text);
  for (std::string word; words >> word;) out.push_back(word);
  return out;
}

/// What instances of `s` are: inputs, outputs and parameters.
NodeKind declarationOf(const SubPlan& s) {
  NodeKind k;
  k.id = Node::kInstanceKind;
  k.family = Family::SubPlan;
  k.label = s.name;
  k.help = s.help;
  k.glyph = "sub-plan";
  k.synonyms = wordsIn(s.tags + ' ' + s.category);
  Plan inner;
  inner.nodes = s.nodes;
  const PlanIndex index(inner);
  for (const Node& node : s.nodes) {
    const NodeKind* kind = kindOf(node);
    k.usesSeed = k.usesSeed || (kind && kind->usesSeed);
    if (node.kind == kWayIn) {
      InputSpec in;
      in.id = node.uid;
      in.type = outputType(index, {node.uid, kWayValue, {}}).value_or(ValueType::Points);
      in.label = node.title;
      in.help = paramOf(node, "help", std::string());
      in.isOptional = !paramOf(node, "needed", true) || node.firstLink(kWayInFallback);
      in.isMany = paramOf(node, "many", false);
      k.inputs.push_back(std::move(in));
    } else if (node.kind == kWayOut) {
      const Link* link = node.firstLink(kWayValue);
      const auto type = link ? outputType(index, *link) : std::nullopt;
      k.outputs.push_back({node.uid, type.value_or(ValueType::Points), node.title});
    }
  }
  for (const FrontControl& c : s.fronts) k.params.push_back(specOf(c));
  k.reachOf = [](const ParamMap&) { return Reach::whole(true); };
  SubPlan said;  // what its sentence is made from
  said.name = s.name;
  said.sentence = s.sentence;
  said.fronts = s.fronts;
  k.sentence = [said](const ParamMap& values) { return sentenceFor(said, values); };
  k.evaluate = [](const EvalContext&, const Inputs&, const ParamMap&) -> Result<Outputs> {
    return fail(ProblemCode::BadParameter, "the sub-plan was not opened");  // openPlan opens what can be
  };
  return k;
}

/// Of all that the declaration says.
std::uint64_t keyOf(const SubPlan& s, const NodeKind& k) {
  KeyBuilder key;
  for (const std::string* text : {&s.name, &s.sentence, &s.help, &s.tags, &s.category}) key.addText(*text);
  key.add(std::uint64_t{k.usesSeed});
  for (const InputSpec& in : k.inputs) {
    for (const std::string* text : {&in.id, &in.label, &in.help}) key.addText(*text);
    key.add(static_cast<std::uint64_t>(in.type) * 4 + std::uint64_t{in.isOptional} * 2 + std::uint64_t{in.isMany});
  }
  key.addText("outputs");
  for (const OutputSpec& out : k.outputs) {
    key.addText(out.id);
    key.addText(out.label);
    key.add(static_cast<std::uint64_t>(out.type));
  }
  for (const FrontControl& c : s.fronts) {
    for (const std::string* text : {&c.id, &c.label, &c.help, &c.group, &c.fileKind, &c.shownBy}) key.addText(*text);
    for (const double v : {c.least, c.most, c.usualLeast, c.usualMost, c.step}) key.add(v);
    key.add(static_cast<std::uint64_t>(c.type) + 64 * static_cast<std::uint64_t>(c.unit) +
            4096 * static_cast<std::uint64_t>(c.form));
    for (const Option& o : c.options) {
      key.addText(o.id);
      key.addText(o.label);
    }
    for (const std::string& value : c.shownFor) key.addText(value);
    key.addValue(c.usual);
  }
  return key.lanes[0];
}

/// Each sub-plan after those that lie inside of it; one that lies in itself takes what there is.
class Fitting {
 public:
  explicit Fitting(Plan& plan) : m_plan(plan) {}
  void fit() {
    for (SubPlan& s : m_plan.subPlans) fit(s);
    for (Node& node : m_plan.nodes) fit(node);
  }

 private:
  Plan& m_plan;
  std::set<const SubPlan*> m_begun;

  void fit(Node& node) {
    if (!node.isInstance()) return;
    SubPlan* s = m_plan.findSubPlan(node.subPlan);
    if (s) fit(*s);
    node.made = s ? s->made : MadeKind{};
  }
  void fit(SubPlan& s) {
    if (!m_begun.insert(&s).second) return;
    for (Node& node : s.nodes) fit(node);
    NodeKind declared = declarationOf(s);
    const std::uint64_t key = keyOf(s, declared);
    if (!s.made.kind || s.made.key != key) s.made = {std::make_shared<const NodeKind>(std::move(declared)), key};
  }
};

}  // namespace

void fitSubPlans(Plan& plan) { Fitting(plan).fit(); }

bool wouldLieInItself(const Plan& plan, const std::string& outer, const std::string& inner) {
  std::set<std::string> seen;
  std::vector<std::string> open{inner};
  while (!open.empty()) {
    const std::string uid = open.back();
    open.pop_back();
    if (uid == outer) return true;
    const SubPlan* s = seen.insert(uid).second ? plan.findSubPlan(uid) : nullptr;
    if (!s) continue;
    for (const Node& node : s->nodes)
      if (node.isInstance()) open.push_back(node.subPlan);
  }
  return false;
}

}  // namespace arvesk
