// Reads plans. Whatever stands in a file is judged here, once: what comes out can be shown, worked out and drawn. A
// document whose structure is broken is refused; a single value that cannot be is put right or set aside, and told.
#include "core/formats/own_words.h"
#include "core/formats/plan_file.h"
#include "core/formats/plan_json.h"

#include <fmt/format.h>

#include <cmath>
#include <set>

namespace arvesk {
namespace {

using json = nlohmann::json;

constexpr int kDeepestNesting = 100;
constexpr std::size_t kMostItems = 100'000;  // nodes, and so of all else
constexpr double kFarOnPlan = 1e6;           // units of the Plan's paper
constexpr double kFarInSite = 1e7;           // m
constexpr std::size_t kLongestText = 20'000;

/// Nesting of lists and objects outside of texts: walking through them goes so deep.
int nestingOf(const std::string& text) {
  int depth = 0;
  int deepest = 0;
  bool isInText = false;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (isInText) {
      if (c == '\\') ++i;
      if (c == '"') isInText = false;
      continue;
    }
    if (c == '"') isInText = true;
    if (c == '[' || c == '{') deepest = std::max(deepest, ++depth);
    if (c == ']' || c == '}') --depth;
  }
  return deepest;
}

/// What is left of an object after the known keys were taken, as text, or empty.
std::string leftover(json object, std::initializer_list<const char*> known) {
  for (const char* key : known) object.erase(key);
  return object.empty() ? std::string() : object.dump();
}

std::string shortly(const json& j) {
  std::string text = j.dump(-1, ' ', false, json::error_handler_t::replace);
  if (text.size() > 60) text = text.substr(0, 57) + "…";
  return text;
}

/// Takes values out of objects. What is not of the right sort or range is replaced by the usual value or the nearest
/// possible one, and told.
class Taker {
 public:
  Taker(const json& object, std::string where, std::vector<Problem>& problems)
      : m_object(object), m_where(std::move(where)), m_problems(problems) {
    if (!object.is_object()) throw std::runtime_error(fmt::format("{} is {}, not an object", m_where, shortly(object)));
  }
  bool has(const char* key) const { return m_object.contains(key); }
  const json& at(const char* key) const {
    if (!has(key)) throw std::runtime_error(fmt::format("{} has no \"{}\"", m_where, key));
    return m_object[key];
  }
  /// A text that there must be.
  std::string name(const char* key) const {
    const json& j = at(key);
    if (!j.is_string())
      throw std::runtime_error(fmt::format("\"{}\" of {} is {}, not a text", key, m_where, shortly(j)));
    return j.get<std::string>();
  }
  double number(const char* key, double usual, double least, double most) const {
    if (!has(key)) return usual;
    const json& j = m_object[key];
    if (!j.is_number()) return tell(key, j, fmt::format("{}", usual)), usual;
    const double v = j.get<double>();
    if (v >= least && v <= most) return v;
    const double nearest = std::isnan(v) ? usual : std::clamp(v, least, most);
    return tell(key, j, fmt::format("{}", nearest)), nearest;
  }
  /// As number(); what is not above 0 is as usual: nearest to it nothing would be seen.
  double above0(const char* key, double usual, double most) const {
    if (has(key) && m_object[key].is_number() && !(m_object[key].get<double>() > 0))
      return tell(key, m_object[key], fmt::format("{}", usual)), usual;
    return number(key, usual, 0, most);
  }
  int integer(const char* key, int usual, int least, int most) const {
    return static_cast<int>(number(key, usual, least, most));
  }
  std::uint64_t count(const char* key, std::uint64_t usual) const {
    if (!has(key)) return usual;
    const json& j = m_object[key];
    if (j.is_number_unsigned()) return j.get<std::uint64_t>();
    if (j.is_number() && j.get<double>() >= 0 && j.get<double>() < 9e15 &&
        j.get<double>() == std::floor(j.get<double>()))
      return static_cast<std::uint64_t>(j.get<double>());
    return tell(key, j, fmt::format("{}", usual)), usual;
  }
  bool flag(const char* key, bool usual) const {
    if (!has(key)) return usual;
    const json& j = m_object[key];
    if (!j.is_boolean()) return tell(key, j, usual ? "true" : "false"), usual;
    return j.get<bool>();
  }
  std::string text(const char* key, const std::string& usual = {}) const {
    if (!has(key)) return usual;
    const json& j = m_object[key];
    if (!j.is_string()) return tell(key, j, '"' + usual + '"'), usual;
    auto text = j.get<std::string>();
    if (text.size() <= kLongestText) return text;
    tell(key, json(fmt::format("{} letters long", text.size())), "its beginning");
    std::size_t end = kLongestText;
    while ((static_cast<unsigned char>(text[end]) & 0xC0U) == 0x80) --end;  // not inside of a letter
    text.resize(end);
    return text;
  }
  /// Numbers of a list; `usual` when it is no list of so many.
  template <std::size_t N>
  std::array<double, N> numbers(const char* key, std::array<double, N> usual, double most) const {
    if (!has(key)) return usual;
    const json& j = m_object[key];
    std::string instead;
    for (const double v : usual) instead += fmt::format("{}{}", instead.empty() ? "" : ", ", v);
    if (!j.is_array() || j.size() != N || !std::all_of(j.begin(), j.end(), [](const json& v) { return v.is_number(); }))
      return tell(key, j, instead), usual;
    std::array<double, N> out;
    for (std::size_t i = 0; i < N; ++i) {
      out[i] = j[i].get<double>();
      if (!(std::abs(out[i]) <= most)) return tell(key, j, instead), usual;
    }
    return out;
  }
  Vec3 vector(const char* key, const Vec3& usual, double most) const {
    const auto v = numbers<3>(
        key, {static_cast<double>(usual.x), static_cast<double>(usual.y), static_cast<double>(usual.z)}, most);
    return {static_cast<float>(v[0]), static_cast<float>(v[1]), static_cast<float>(v[2])};
  }
  /// The list there, empty when there is none.
  const json& list(const char* key) const {
    static const json none = json::array();
    if (!has(key)) return none;
    const json& j = m_object[key];
    if (!j.is_array())
      throw std::runtime_error(fmt::format("\"{}\" of {} is {}, not a list", key, m_where, shortly(j)));
    if (j.size() > kMostItems)
      throw std::runtime_error(
          fmt::format("\"{}\" of {} has {} items, more than {}", key, m_where, j.size(), kMostItems));
    return j;
  }
  const json& object(const char* key) const {
    static const json none = json::object();
    if (!has(key)) return none;
    const json& j = m_object[key];
    if (!j.is_object())
      throw std::runtime_error(fmt::format("\"{}\" of {} is {}, not an object", key, m_where, shortly(j)));
    return j;
  }
  void say(std::string message, std::string advice = {}) const {
    m_problems.push_back(
        {ProblemCode::BadParameter, Severity::Warning, m_where, std::move(message), std::move(advice)});
  }
  const std::string& where() const { return m_where; }
  std::vector<Problem>& problems() const { return m_problems; }

 private:
  void tell(const char* key, const json& found, const std::string& instead) const {
    say(fmt::format("\"{}\" cannot be {}; {} stands in its place", key, shortly(found), instead),
        "Look whether that is what is meant");
  }
  const json& m_object;
  std::string m_where;
  std::vector<Problem>& m_problems;
};

/// A value as the file says it; nothing for what no parameter can be.
std::optional<ParamValue> plainValue(const json& j) {
  if (j.is_boolean()) return ParamValue(j.get<bool>());
  if (j.is_number()) return ParamValue(j.get<double>());
  if (j.is_string()) return ParamValue(j.get<std::string>());
  if (j.is_array() && std::all_of(j.begin(), j.end(), [](const json& n) { return n.is_number(); }))
    return ParamValue(j.get<std::vector<double>>());
  return {};
}

/// Every line of a list as `T`; nothing where one is none.
template <typename T, typename Read>
std::optional<std::vector<T>> linesOf(const json& j, const char* key, Read read) {
  std::vector<T> out;
  const auto it = j.find(key);
  if (it == j.end() || !it->is_array()) return {};
  out.reserve(it->size());
  for (const json& line : *it) {
    const auto item = line.is_string() ? read(line.get_ref<const std::string&>()) : std::nullopt;
    if (!item) return {};
    out.push_back(*item);
  }
  return out;
}

std::optional<ParamValue> handPointsFor(const json& j) {
  if (!j.is_object()) return {};
  auto props = linesOf<std::string>(j, "props", [](const std::string& s) { return std::optional(s); });
  auto grounds = linesOf<GroundPiece>(j, "grounds", &groundPieceIn);
  const auto points = linesOf<HandPoint>(j, "points", &handPointIn);
  if (!props || !grounds || !points) return {};
  return HandPoints{SharedList<HandPoint>(*points), std::move(*props), std::move(*grounds)};
}

std::optional<ParamValue> touchUpsFor(const json& j) {
  if (!j.is_object()) return {};
  auto props = linesOf<std::string>(j, "props", [](const std::string& s) { return std::optional(s); });
  const auto touches = linesOf<TouchUp>(j, "touches", &touchUpIn);
  if (!props || !touches) return {};
  return TouchUps{SharedList<TouchUp>(*touches), std::move(*props)};
}

std::optional<ParamValue> valueFor(const ParamSpec& spec, const json& j) {
  if (spec.type == ParamType::Points) return handPointsFor(j);
  if (spec.type == ParamType::Touches) return touchUpsFor(j);
  if (spec.type != ParamType::Props) return plainValue(j);
  if (!j.is_array()) return {};
  PropChoices choices;
  for (const json& c : j) {
    if (!c.is_object() || !c.contains("prop") || !c["prop"].is_string()) return {};
    const json weight = c.value("weight", json(1.0));
    const json on = c.value("on", json(true));
    if (!weight.is_number() || !on.is_boolean()) return {};
    choices.push_back({c["prop"].get<std::string>(), weight.get<double>(), on.get<bool>()});
  }
  return choices;
}

/// Puts the value where it belongs, or sets it aside with what is wrong with it. A text that says something wrong (a
/// formula, a pattern) stays where it is edited; its node tells.
void putValue(Node& node, const ParamSpec& spec, const json& j) {
  const auto value = valueFor(spec, j);
  const bool isText = value && spec.type == ParamType::Text && std::holds_alternative<std::string>(*value);
  std::string fault = !value   ? fmt::format("{} cannot be {}", spec.label, shortly(j))
                      : isText ? std::string()
                               : faultOf(spec, *value);
  if (const auto* points = value ? std::get_if<HandPoints>(&*value) : nullptr; points && fault.empty())
    fault = faultOf(*points);
  if (const auto* touches = value ? std::get_if<TouchUps>(&*value) : nullptr; touches && fault.empty())
    fault = faultOf(*touches);
  if (fault.empty())
    node.params[spec.id] = *value;
  else
    node.refused[spec.id] = {j.dump(), std::move(fault)};
}

/// Parameters of a node that was written for an earlier version of its kind, as this version has them; the node is of
/// this version then.
json upgraded(const NodeKind* kind, Node& node, json params) {
  if (!kind || node.version >= kind->version) return params;
  if (kind->upgrade) {
    SavedNode saved{node.version, {}, node.follows};
    for (auto it = params.begin(); it != params.end();) {
      const auto value = plainValue(*it);
      if (value) saved.params[it.key()] = *value;
      it = value ? params.erase(it) : std::next(it);
    }
    kind->upgrade(saved);
    for (const auto& [id, value] : saved.params) params[id] = toJson(value);
    node.follows = std::move(saved.follows);
  }
  node.version = kind->version;
  return params;
}

void takeParams(Node& node, json& unknown, json params) {
  const NodeKind* kind = kindOf(node);
  try {
    params = upgraded(kind, node, params);
  } catch (const std::exception&) {  // a value of another sort than that version had
    node.refused["version"] = {json(node.version).dump(),
                               fmt::format("its parameters are none of version {} of {}", node.version, kind->label)};
    unknown["params"] = params;
    return;
  }
  json rest = json::object();
  for (const auto& [id, value] : params.items()) {
    if (const ParamSpec* spec = kind ? kind->findParam(id) : nullptr)
      putValue(node, *spec, value);
    else
      rest[id] = value;
  }
  if (!rest.empty()) unknown["params"] = rest;
}

template <typename T, std::size_t N>
T oneOf(const Taker& take, const char* key, const std::array<const char*, N>& names, T usual);

constexpr double kLatestFrame = 1e6;

/// What a key's value is of is known when its node's kind is: it is judged where the plan is worked out.
Keys toKeys(const json& j, const std::string& where, std::vector<Problem>& problems) {
  const Taker take(j, where, problems);
  Keys keys;
  keys.before = oneOf(take, "before", kBeyonds, Beyond::Hold);
  keys.after = oneOf(take, "after", kBeyonds, Beyond::Hold);
  for (const json& item : take.list("at")) {
    const Taker takeKey(item, "a key of " + where, problems);
    takeKey.at("frame");
    auto value = plainValue(takeKey.at("value"));
    if (!value) {
      takeKey.say(fmt::format("its value cannot be {}; it is left out", shortly(takeKey.at("value"))));
      continue;
    }
    Key key{takeKey.number("frame", 1, -kLatestFrame, kLatestFrame), std::move(*value),
            oneOf(takeKey, "easing", kEasings, Easing::Soft)};
    key.leaves = takeKey.number("leaves", 0, -1000, 1000);
    key.reaches = takeKey.number("reaches", 0, -1000, 1000);
    const std::size_t before = keys.list.size();
    setKey(keys, std::move(key));
    if (keys.list.size() == before) takeKey.say("another one has the same frame; the later one stands");
  }
  return keys;
}

Node toNode(const json& j, std::size_t number, std::vector<Problem>& problems) {
  std::string where = fmt::format("node {}", number + 1);
  if (j.is_object())
    for (const char* key : {"uid", "title"})
      if (j.contains(key) && j[key].is_string() && !j[key].get<std::string>().empty())
        where = j[key].get<std::string>();
  const Taker take(j, where, problems);
  Node node;
  node.uid = take.name("uid");
  node.kind = take.name("kind");
  node.version = take.integer("version", 1, 1, 1'000'000);
  node.title = take.text("title");
  const auto at = take.numbers<2>("at", {0, 0}, kFarOnPlan);
  node.x = at[0];
  node.y = at[1];
  if (node.isInstance()) node.subPlan = take.name("of");
  if (node.isInstance() && take.has("inside")) node.inside = take.text("inside");
  node.isSkipped = take.flag("skipped", false);
  node.isFolded = take.flag("folded", false);
  node.seed = take.count("seed", 0);
  node.isSeedLocked = take.flag("seed_locked", false);
  for (const auto& [param, formula] : take.object("follows").items()) {
    if (!formula.is_string())
      throw std::runtime_error(fmt::format("{} follows {}, not a formula", where, shortly(formula)));
    node.follows[param] = formula.get<std::string>();
  }
  for (const auto& [param, keys] : take.object("keys").items())
    if (Keys read = toKeys(keys, fmt::format("{} of {}", param, where), problems); !read.isEmpty())
      node.keys[param] = std::move(read);
  json unknown = j;
  for (const char* key : {"uid", "kind", "version", "title", "at", "skipped", "folded", "seed", "seed_locked", "inputs",
                          "follows", "keys", "params"})
    unknown.erase(key);
  if (node.isInstance()) {
    unknown.erase("of");
    unknown.erase("inside");
    if (json params = take.object("params"); !params.empty()) unknown["params"] = std::move(params);  // see settle
  } else {
    takeParams(node, unknown, take.object("params"));
  }
  for (const auto& [id, links] : take.object("inputs").items()) {
    const std::string input = fmt::format("input \"{}\" of {}", id, where);
    if (!links.is_array()) throw std::runtime_error(fmt::format("{} is {}, not a list", input, shortly(links)));
    for (const json& link : links) {
      const Taker takeLink(link, input, problems);
      node.inputs[id].push_back({takeLink.name("node"), takeLink.name("output"), takeLink.text("slot")});
    }
  }
  if (!unknown.empty()) node.unknown = unknown.dump();
  return node;
}

/// Parameters of instances are judged when all sub-plans are there.
void settle(std::vector<Node>& nodes) {
  for (Node& node : nodes) {
    if (!node.isInstance() || !kindOf(node) || node.unknown.empty()) continue;
    json unknown = json::parse(node.unknown);
    if (!unknown.contains("params")) continue;
    json params = std::move(unknown["params"]);
    unknown.erase("params");
    takeParams(node, unknown, std::move(params));
    node.unknown = unknown.empty() ? std::string() : unknown.dump();
  }
}

/// The place of `text` in a list of names; told, and `usual`, where it is none of them.
template <typename T, std::size_t N>
T oneOf(const Taker& take, const char* key, const std::array<const char*, N>& names, T usual) {
  const std::string text = take.text(key, names[static_cast<std::size_t>(usual)]);
  const auto it = std::find(names.begin(), names.end(), text);
  if (it != names.end()) return static_cast<T>(it - names.begin());
  take.say(fmt::format("nobody knows the {} \"{}\"; it counts as \"{}\"", key, text,
                       names[static_cast<std::size_t>(usual)]));
  return usual;
}

/// A value that a control of this sort can have in any case.
ParamValue plainest(const FrontControl& c) {
  const double number = std::clamp(0.0, c.least, c.most);
  switch (c.type) {
    case ParamType::Toggle: return false;
    case ParamType::Number:
    case ParamType::Integer: return number;
    case ParamType::Choice: return c.options.empty() ? std::string() : c.options.front().id;
    case ParamType::Text:
    case ParamType::File: return std::string();
    case ParamType::Vector: return std::vector<double>(3, number);
    case ParamType::Range: return std::vector<double>(2, number);
    case ParamType::Band: return std::vector<double>(4, number);
    case ParamType::Props: return PropChoices();
    case ParamType::Curve: return std::vector<double>{0, 0, 1, 1};
    case ParamType::Strokes:
    case ParamType::Faces: return std::vector<double>();
    case ParamType::Points: return HandPoints();
    case ParamType::Touches: return TouchUps();
  }
  return number;
}

FrontControl toFront(const json& j, const std::string& where, std::vector<Problem>& problems) {
  const Taker take(j, "front control of " + where, problems);
  FrontControl c;
  c.id = take.name("id");
  c.type = oneOf(take, "type", kParamTypeNames, ParamType::Number);
  c.label = take.text("label", c.id);
  c.help = take.text("help");
  c.group = take.text("group");
  c.unit = oneOf(take, "unit", kUnitNames, Unit::None);
  c.least = take.number("least", c.least, -1e12, 1e12);
  c.most = std::max(c.least, take.number("most", c.most, -1e12, 1e12));
  c.usualLeast = take.number("usual_least", c.usualLeast, -1e12, 1e12);
  c.usualMost = take.number("usual_most", c.usualMost, -1e12, 1e12);
  c.step = take.above0("step", c.step, 1e12);
  for (const json& option : take.list("options")) {
    const Taker takeOption(option, "choice of " + c.label, problems);
    const std::string id = takeOption.name("id");
    c.options.push_back({id, takeOption.text("label", id)});
  }
  c.form = oneOf(take, "form", kTextFormNames, TextForm::Line);
  c.fileKind = take.text("file_kind");
  c.shownBy = take.text("shown_by");
  for (const json& value : take.list("shown_for"))
    if (value.is_string()) c.shownFor.push_back(value.get<std::string>());
  if (c.type == ParamType::Choice && c.options.empty()) {
    take.say("it has nothing to choose from; it is a text");
    c.type = ParamType::Text;
  }
  c.usual = plainest(c);
  const ParamSpec spec = specOf(c);
  if (take.has("usual")) {
    const json& usual = take.at("usual");
    Node one;  // judged as a parameter of a node is
    putValue(one, spec, usual);
    if (const auto it = one.params.find(c.id); it != one.params.end())
      c.usual = it->second;
    else
      take.say(fmt::format("{}; {} stands in its place", one.refused.at(c.id).fault, shortly(toJson(c.usual))));
  }
  c.unknown = leftover(j, {"id", "type", "label", "help", "group", "unit", "least", "most", "usual_least", "usual_most",
                           "step", "options", "form", "file_kind", "shown_by", "shown_for", "usual"});
  return c;
}

std::optional<ValueEntry> toValue(const Taker& take) {
  ValueEntry v;
  const std::string by = take.text("by", kValueBys[static_cast<std::size_t>(v.by)]);
  const std::string into = take.text("into", kValueIntos[0]);
  const auto knownBy = std::find(kValueBys.begin(), kValueBys.end(), by);
  const auto knownInto = std::find(kValueIntos.begin(), kValueIntos.end(), into);
  if (knownBy == kValueBys.end() || knownInto == kValueIntos.end()) {
    take.say(fmt::format("nobody knows how to measure \"{}\" into \"{}\"; it is left out", by, into));
    return std::nullopt;
  }
  v.by = static_cast<ValueBy>(knownBy - kValueBys.begin());
  v.into = static_cast<ValueInto>(knownInto - kValueIntos.begin());
  v.name = take.text("name");
  v.zeroAt = take.number("zero_at", v.zeroAt, -1e6, 1e6);
  v.oneAt = take.number("one_at", v.oneAt, -1e6, 1e6);
  v.reach = take.above0("reach", v.reach, 1e4);
  v.edgeDeg = take.number("edge_angle", v.edgeDeg, 0, 180);
  v.direction = take.vector("direction", v.direction, 1e6);
  return v;
}

PropEntry toProp(const json& j, std::size_t number, std::vector<Problem>& problems) {
  const bool isNamed = j.is_object() && j.contains("name") && j["name"].is_string();
  const Taker take(j, isNamed ? j["name"].get<std::string>() : fmt::format("prop {}", number + 1), problems);
  PropEntry p;
  p.uid = take.name("uid");
  p.name = take.text("name");
  p.file = take.name("file");
  const std::string partBy = take.text("part_by", kPartNames[0]);
  if (const auto by = std::find(kPartNames.begin(), kPartNames.end(), partBy); by != kPartNames.end()) {
    p.partBy = static_cast<PartBy>(by - kPartNames.begin());
    p.part = take.text("part");
  } else {
    take.say(fmt::format("it is said to be a \"{}\" of its file, which nobody knows; it is taken as a whole", partBy));
  }
  p.unitScale = take.above0("unit_scale", 1, 1e6);
  p.isZUp = take.flag("z_up", false);
  const std::string pivot = take.text("pivot", kPivotNames[0]);
  const auto known = std::find(kPivotNames.begin(), kPivotNames.end(), pivot);
  if (known == kPivotNames.end()) take.say(fmt::format("there is no pivot \"{}\"; it stays as made", pivot));
  p.pivot = known == kPivotNames.end() ? PivotAt::AsMade : static_cast<PivotAt>(known - kPivotNames.begin());
  p.commonHeight = take.number("common_height", p.commonHeight, 0, 1e5);
  p.size = take.above0("size", p.size, 1e6);
  p.isLargeMeant = take.flag("large", false);
  p.turnDeg = take.vector("turn", p.turnDeg, 1e5);
  p.footprint = take.number("footprint", p.footprint, 0, 1e5);
  p.base = take.number("base", p.base, 0, 1e5);
  p.weight = take.number("weight", p.weight, 0, 1e9);
  p.tags = take.text("tags");
  p.creaseDeg = take.number("crease", p.creaseDeg, -1, 180);
  p.isMassingBox = take.text("massing", "box") != "simplified";
  p.lightFile = take.text("light_file");
  p.massingTriangles = take.integer("massing_triangles", p.massingTriangles, 4, 1'000'000);
  p.isMassingShown = take.flag("massing_shown", false);
  p.isByReference = take.flag("by_reference", false);
  p.deliveredFile = take.text("delivered_file");
  for (const json& m : take.list("mounts")) {
    const Taker takeMount(m, "mount point of " + take.where(), problems);
    p.mounts.push_back({takeMount.name("name"), takeMount.vector("at", Vec3(0), 1e6),
                        takeMount.vector("turn", Vec3(0), 1e5), takeMount.above0("size", 1, 1e6)});
  }
  for (const json& v : take.list("values")) {
    const Taker takeValue(v, "value of " + take.where(), problems);
    if (auto value = toValue(takeValue)) p.values.push_back(std::move(*value));
  }
  p.unknown = leftover(j, {"uid",           "name",       "file",         "part_by",        "part",
                           "light_file",    "unit_scale", "z_up",         "pivot",          "common_height",
                           "size",          "large",      "turn",         "footprint",      "base",
                           "weight",        "tags",       "crease",       "massing",        "massing_triangles",
                           "massing_shown", "mounts",     "by_reference", "delivered_file", "values"});
  return p;
}

Dial toDial(const json& j, std::size_t number, std::vector<Problem>& problems) {
  const Taker take(j, fmt::format("dial {}", number + 1), problems);
  Dial d;
  d.uid = take.name("uid");
  d.name = take.name("name");
  d.draft = take.number("draft", 1, -1e12, 1e12);
  d.final = take.number("final", 1, -1e12, 1e12);
  if (take.has("keys")) d.keys = toKeys(take.at("keys"), "dial " + d.name, problems);
  for (const Key& key : d.keys.list)
    if (!std::holds_alternative<double>(key.value)) {
      take.say(fmt::format("its keys are no numbers; {} stands", d.final));
      d.keys = {};
      break;
    }
  d.unknown = leftover(j, {"uid", "name", "draft", "final", "keys"});
  return d;
}

PaperItem toPaperItem(const json& j, std::size_t number, std::vector<Problem>& problems) {
  const Taker take(j, fmt::format("note {}", number + 1), problems);
  PaperItem p;
  p.uid = take.name("uid");
  p.sort = take.text("sort", "note") == "bed" ? PaperItem::Sort::Bed : PaperItem::Sort::Note;
  p.text = take.text("text");
  const auto at = take.numbers<2>("at", {0, 0}, kFarOnPlan);
  const auto extent = take.numbers<2>("extent", {p.width, p.height}, kFarOnPlan);
  p.x = at[0], p.y = at[1];
  p.width = std::max(1.0, extent[0]), p.height = std::max(1.0, extent[1]);
  p.unknown = leftover(j, {"uid", "sort", "text", "at", "extent"});
  return p;
}

CameraEntry toCamera(const json& j, const PlanSettings& s, std::size_t number, std::vector<Problem>& problems) {
  const Taker take(j, fmt::format("camera {}", number + 1), problems);
  CameraEntry c;
  c.name = take.text("name");
  take.at("eye");
  take.at("target");
  c.eye = take.vector("eye", c.eye, kFarInSite);
  c.target = take.vector("target", c.target, kFarInSite);
  if (c.eye == c.target) {
    take.say("stands where it looks; it is moved back by 10 m");
    c.eye.z += 10;
  }
  c.fieldOfViewDeg = static_cast<float>(take.number("field_of_view", 45, 1, 170));
  if (take.has("sun_heading") || take.has("sun_height"))
    c.sun = CameraEntry::Sun{take.number("sun_heading", s.sunHeadingDeg, -1e4, 1e4),
                             take.number("sun_height", s.sunHeightDeg, -90, 90)};
  return c;
}

PlanSettings toSettings(const json& j, std::vector<Problem>& problems) {
  const Taker take(j, "the plan's settings", problems);
  PlanSettings s;
  s.seed = take.count("seed", s.seed);
  s.draftShare = take.number("draft_share", s.draftShare, 0, 1);
  s.hasWater = take.has("water_level");
  s.waterLevel = take.number("water_level", 0, -1e6, 1e6);
  s.sunHeadingDeg = take.number("sun_heading", s.sunHeadingDeg, -1e4, 1e4);
  s.sunHeightDeg = take.number("sun_height", s.sunHeightDeg, -90, 90);
  s.hazeDistance = take.above0("haze_distance", s.hazeDistance, 1e9);
  if (take.has("time")) {
    const Taker takeTime(take.at("time"), "the plan's time", problems);
    PlanTime time;
    time.first = takeTime.integer("first", time.first, -1'000'000, 1'000'000);
    time.last = takeTime.integer("last", std::max(time.first, time.last), time.first, 1'000'000);
    time.rate = takeTime.above0("rate", time.rate, 1000);
    s.time = time;
  }
  for (const auto& [setting, formula] : take.object("follows").items())
    if (formula.is_string())
      s.follows[setting] = formula.get<std::string>();
    else
      problems.push_back({ProblemCode::BadParameter,
                          Severity::Warning,
                          {},
                          fmt::format("{} of the plan follows {}, not a formula", setting, shortly(formula)),
                          "It keeps its own value"});
  const json& cameras = take.list("cameras");
  for (std::size_t i = 0; i < cameras.size(); ++i) s.cameras.push_back(toCamera(cameras[i], s, i, problems));
  for (const auto& [key, b] : take.object("budgets").items()) {
    const Taker takeBudget(b, "budget " + key, problems);
    const Budget budget{takeBudget.number("placements", 0, 0, 1e15), takeBudget.number("triangles", 0, 0, 1e15)};
    if (budget != Budget{}) s.budgets[key] = budget;
  }
  s.unknown = leftover(j, {"budgets", "seed", "draft_share", "water_level", "sun_heading", "sun_height",
                           "haze_distance", "cameras", "time", "follows"});
  return s;
}

/// Names by which others are found are there once each; a second one is called otherwise, and links mean the first.
template <typename Item>
void nameApart(std::vector<Item>& items, const char* what, std::vector<Problem>& problems) {
  std::set<std::string> taken;
  for (const Item& item : items) taken.insert(item.uid);
  std::set<std::string> seen;
  for (Item& item : items) {
    if (!item.uid.empty() && seen.insert(item.uid).second) continue;
    const std::string before = item.uid;
    for (int n = 2; item.uid.empty() || !seen.insert(item.uid).second; ++n)
      if (std::string next = fmt::format("{}-{}", before, n); taken.insert(next).second) item.uid = std::move(next);
    problems.push_back(
        {ProblemCode::BadParameter,
         Severity::Warning,
         {},
         fmt::format("the uid \"{}\" is used by two {}; the second is \"{}\" now", before, what, item.uid),
         "What is linked to it means the first"});
  }
}

SubPlan toSubPlan(const json& j, std::size_t number, std::vector<Problem>& problems) {
  const bool isNamed = j.is_object() && j.contains("name") && j["name"].is_string();
  const Taker take(j, isNamed ? j["name"].get<std::string>() : fmt::format("sub-plan {}", number + 1), problems);
  SubPlan s;
  s.uid = take.name("uid");
  s.name = take.text("name");
  s.sentence = take.text("sentence");
  s.help = take.text("help");
  s.author = take.text("author");
  s.license = take.text("license");
  s.tags = take.text("tags");
  s.category = take.text("category");
  s.news = take.text("news");
  s.version = take.integer("version", 1, 1, 1'000'000'000);
  for (const json& front : take.list("fronts")) {
    FrontControl control = toFront(front, take.where(), problems);
    // Only what stands before it can show it: so nothing shows itself.
    const FrontControl* by = s.findFront(control.shownBy);
    if (!control.shownBy.empty() && !(by && (by->type == ParamType::Toggle || by->type == ParamType::Choice))) {
      take.say(fmt::format("{} cannot be shown by \"{}\", which is no toggle or choice before it; it is always shown",
                           control.label, control.shownBy));
      control.shownBy.clear();
    }
    if (const std::string fault = faultOfFrontId(s.fronts, control.id); fault.empty())
      s.fronts.push_back(std::move(control));
    else
      take.say(fmt::format("{}; it is left out", fault));
  }
  for (const json& check : take.list("checks")) {
    const Taker takeCheck(check, "check of " + take.where(), problems);
    s.checks.push_back({takeCheck.name("formula"), takeCheck.text("words")});
  }
  const json& nodes = take.list("nodes");
  for (std::size_t i = 0; i < nodes.size(); ++i) s.nodes.push_back(toNode(nodes[i], i, problems));
  const json& paper = take.list("paper");
  for (std::size_t i = 0; i < paper.size(); ++i) s.paper.push_back(toPaperItem(paper[i], i, problems));
  nameApart(s.nodes, "nodes", problems);
  nameApart(s.paper, "notes", problems);
  s.unknown = leftover(j, {"uid", "name", "sentence", "help", "author", "license", "tags", "category", "news",
                           "version", "fronts", "checks", "nodes", "paper"});
  return s;
}

}  // namespace

Result<Plan> parsePlan(const std::string& text, const std::string& where) {
  const auto refuse = [&](std::string why) {
    return fail(ProblemCode::FileUnreadable, fmt::format("cannot be read as a plan: {}", why),
                "Restore the file from a copy", where);
  };
  if (const int depth = nestingOf(text); depth > kDeepestNesting)
    return refuse(fmt::format("it is nested {} deep, the limit is {}", depth, kDeepestNesting));
  try {
    const json j = json::parse(text);
    if (!j.is_object() || !j.contains("format") || j["format"] != "arvesk-plan")
      return fail(ProblemCode::FileUnreadable, "is not an Arvesk plan (its \"format\" is not \"arvesk-plan\")",
                  "Choose a file that ends in .arvesk", where);
    Plan plan;
    std::vector<Problem> problems;
    const Taker take(j, "the plan", problems);
    plan.isReadOnly = take.number("version", 1, 1, 1e9) > kPlanVersion;
    const auto all = [&](const char* key, auto& into, auto&& read) {
      const json& list = take.list(key);
      for (std::size_t i = 0; i < list.size(); ++i) into.push_back(read(list[i], i, problems));
    };
    all("nodes", plan.nodes, toNode);
    all("props", plan.props, toProp);
    all("dials", plan.dials, toDial);
    all("paper", plan.paper, toPaperItem);
    all("sub_plans", plan.subPlans, toSubPlan);
    plan.tool = take.text("tool");
    plan.settings = toSettings(take.object("settings"), problems);
    plan.unknown = leftover(j,
                            {"format", "version", "settings", "nodes", "props", "dials", "paper", "sub_plans", "tool"});
    nameApart(plan.nodes, "nodes", problems);
    nameApart(plan.props, "props", problems);
    nameApart(plan.dials, "dials", problems);
    nameApart(plan.paper, "notes", problems);
    nameApart(plan.subPlans, "sub-plans", problems);
    fitSubPlans(plan);
    for (SubPlan& s : plan.subPlans) settle(s.nodes);
    settle(plan.nodes);
    plan.origin = {std::make_shared<const std::string>(text), std::move(problems)};
    return plan;
  } catch (const json::exception& e) { return refuse(whyNotJson(e, text)); } catch (const std::exception& e) {
    return refuse(inOwnWords(e));
  }
}

}  // namespace arvesk
