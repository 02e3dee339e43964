#include "core/formats/plan_file.h"

#include "core/base/safe_file.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <array>
#include <cmath>

namespace arvesk {
namespace {

using json = nlohmann::json;
constexpr int kVersion = 1;

/// What is left of an object after the known keys were taken, as text, or empty.
std::string leftover(json object, std::initializer_list<const char*> known) {
  for (const char* key : known) object.erase(key);
  return object.empty() ? std::string() : object.dump();
}

json withUnknown(const std::string& unknown) { return unknown.empty() ? json::object() : json::parse(unknown); }

json toJson(const ParamValue& value) {
  if (const auto* choices = std::get_if<PropChoices>(&value)) {
    json list = json::array();
    for (const PropChoice& c : *choices) list.push_back({{"prop", c.prop}, {"weight", c.weight}, {"on", c.isOn}});
    return list;
  }
  return std::visit(
      [](const auto& v) -> json {
        if constexpr (std::is_same_v<std::decay_t<decltype(v)>, PropChoices>)
          return {};
        else
          return v;
      },
      value);
}

ParamValue toValue(const ParamSpec& spec, const json& j) {
  if (spec.type == ParamType::Props) {
    PropChoices choices;
    for (const json& c : j)
      choices.push_back({c.at("prop").get<std::string>(), c.value("weight", 1.0), c.value("on", true)});
    return choices;
  }
  if (j.is_boolean()) return j.get<bool>();
  if (j.is_number()) return j.get<double>();
  if (j.is_string()) return j.get<std::string>();
  return j.get<std::vector<double>>();
}

json toJson(const Vec3& v) { return {v.x, v.y, v.z}; }
Vec3 toVec3(const json& j) { return {j.at(0).get<float>(), j.at(1).get<float>(), j.at(2).get<float>()}; }

json toJson(const Node& node) {
  json j = withUnknown(node.unknown);
  j["uid"] = node.uid;
  j["kind"] = node.kind;
  j["version"] = node.version;
  j["title"] = node.title;
  j["at"] = {node.x, node.y};
  if (node.isSkipped) j["skipped"] = true;
  if (node.isFolded) j["folded"] = true;
  if (node.seed != 0) j["seed"] = node.seed;
  if (node.isSeedLocked) j["seed_locked"] = true;
  json& params = j["params"];
  if (params.is_null()) params = json::object();
  for (const auto& [id, value] : node.params) params[id] = toJson(value);
  if (!node.follows.empty()) j["follows"] = node.follows;
  json& inputs = j["inputs"];
  if (inputs.is_null()) inputs = json::object();
  for (const auto& [id, links] : node.inputs) {
    json list = json::array();
    for (const Link& link : links) list.push_back({{"node", link.node}, {"output", link.output}, {"slot", link.slot}});
    if (!list.empty()) inputs[id] = std::move(list);
  }
  return j;
}

/// A value as the file says it; nothing for lists of other things than numbers.
std::optional<ParamValue> plainValue(const json& j) {
  if (j.is_boolean()) return ParamValue(j.get<bool>());
  if (j.is_number()) return ParamValue(j.get<double>());
  if (j.is_string()) return ParamValue(j.get<std::string>());
  if (j.is_array() && std::all_of(j.begin(), j.end(), [](const json& n) { return n.is_number(); }))
    return ParamValue(j.get<std::vector<double>>());
  return {};
}

/// Parameters of a node that was written for an earlier version of its kind, as this version has them; the node is of
/// this version then.
json upgraded(const NodeKind* kind, Node& node, json params) {
  if (!kind || node.version >= kind->version) return params;
  if (kind->upgrade) {
    SavedNode saved{node.version, {}, std::move(node.follows)};
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

Node toNode(const json& j) {
  Node node;
  node.uid = j.at("uid").get<std::string>();
  node.kind = j.at("kind").get<std::string>();
  node.version = j.value("version", 1);
  node.title = j.value("title", std::string());
  if (j.contains("at")) {
    node.x = j["at"].at(0).get<double>();
    node.y = j["at"].at(1).get<double>();
  }
  node.isSkipped = j.value("skipped", false);
  node.isFolded = j.value("folded", false);
  node.seed = j.value("seed", std::uint64_t{0});
  node.isSeedLocked = j.value("seed_locked", false);
  if (j.contains("follows")) node.follows = j["follows"].get<std::map<std::string, std::string>>();
  json unknown = j;
  for (const char* key :
       {"uid", "kind", "version", "title", "at", "skipped", "folded", "seed", "seed_locked", "inputs", "follows"})
    unknown.erase(key);
  const NodeKind* kind = kindOf(node);
  const json params = upgraded(kind, node, j.value("params", json::object()));
  unknown.erase("params");
  if (!params.empty()) {
    unknown["params"] = params;
    for (const auto& [id, value] : params.items()) {
      const ParamSpec* spec = kind ? kind->findParam(id) : nullptr;
      if (!spec) continue;  // stays among the unknown
      try {
        node.params[id] = toValue(*spec, value);
        unknown["params"].erase(id);
      } catch (const json::exception& e) {
        throw std::runtime_error(fmt::format("node {} ({}), parameter {}: {}", node.uid, node.title, id, e.what()));
      }
    }
    if (unknown["params"].empty()) unknown.erase("params");
  }
  if (j.contains("inputs"))
    for (const auto& [id, links] : j["inputs"].items())
      for (const json& link : links)
        node.inputs[id].push_back({link.at("node").get<std::string>(), link.at("output").get<std::string>(),
                                   link.value("slot", std::string())});
  if (!unknown.empty()) node.unknown = unknown.dump();
  return node;
}

constexpr std::array<const char*, 4> kPivotNames{"as-made", "base-center", "center", "lowest-point"};

json toJson(const PropEntry& p) {
  json j = withUnknown(p.unknown);
  j["uid"] = p.uid;
  j["name"] = p.name;
  j["file"] = p.file;
  if (p.unitScale != 1) j["unit_scale"] = p.unitScale;
  if (p.isZUp) j["z_up"] = true;
  if (p.pivot != PivotAt::AsMade) j["pivot"] = kPivotNames[static_cast<std::size_t>(p.pivot)];
  const PropEntry plain;
  const auto number = [&](const char* key, double v, double usual) {
    if (v != usual) j[key] = v;
  };
  number("common_height", p.commonHeight, plain.commonHeight);
  number("size", p.size, plain.size);
  if (p.turnDeg != Vec3(0)) j["turn"] = toJson(p.turnDeg);
  number("footprint", p.footprint, plain.footprint);
  number("weight", p.weight, plain.weight);
  if (!p.tags.empty()) j["tags"] = p.tags;
  number("crease", p.creaseDeg, plain.creaseDeg);
  if (!p.isMassingBox) j["massing"] = "simplified";
  number("massing_triangles", p.massingTriangles, plain.massingTriangles);
  if (p.isMassingShown) j["massing_shown"] = true;
  for (const MountEntry& m : p.mounts)
    j["mounts"].push_back({{"name", m.name}, {"at", toJson(m.position)}, {"turn", toJson(m.turnDeg)}});
  return j;
}

PropEntry toProp(const json& j) {
  PropEntry p;
  p.uid = j.at("uid").get<std::string>();
  p.name = j.value("name", std::string());
  p.file = j.at("file").get<std::string>();
  // A scale or size of 0 or below would make a prop that is nowhere.
  const auto above0 = [&](const char* key, double usual) {
    const double v = j.value(key, usual);
    return v > 0 && std::isfinite(v) ? v : usual;
  };
  p.unitScale = above0("unit_scale", 1);
  p.isZUp = j.value("z_up", false);
  const std::string pivot = j.value("pivot", std::string(kPivotNames[0]));
  for (std::size_t i = 0; i < kPivotNames.size(); ++i)
    if (pivot == kPivotNames[i]) p.pivot = static_cast<PivotAt>(i);
  p.commonHeight = std::max(0.0, j.value("common_height", p.commonHeight));
  p.size = above0("size", p.size);
  if (j.contains("turn")) p.turnDeg = toVec3(j["turn"]);
  p.footprint = std::max(0.0, j.value("footprint", p.footprint));
  p.weight = std::max(0.0, j.value("weight", p.weight));
  p.tags = j.value("tags", p.tags);
  p.creaseDeg = j.value("crease", p.creaseDeg);
  p.isMassingBox = j.value("massing", std::string("box")) != "simplified";
  p.massingTriangles = std::clamp(j.value("massing_triangles", p.massingTriangles), 4, 1'000'000);
  p.isMassingShown = j.value("massing_shown", false);
  if (j.contains("mounts"))
    for (const json& m : j["mounts"])
      p.mounts.push_back(
          {m.at("name").get<std::string>(), toVec3(m.at("at")), m.contains("turn") ? toVec3(m["turn"]) : Vec3(0)});
  p.unknown = leftover(
      j, {"uid", "name", "file", "unit_scale", "z_up", "pivot", "common_height", "size", "turn", "footprint", "weight",
          "tags", "crease", "massing", "massing_triangles", "massing_shown", "mounts"});
  return p;
}

json toJson(const Dial& d) {
  json j = withUnknown(d.unknown);
  j.update({{"uid", d.uid}, {"name", d.name}, {"draft", d.draft}, {"final", d.final}});
  return j;
}

Dial toDial(const json& j) {
  return {j.at("uid").get<std::string>(), j.at("name").get<std::string>(), j.value("draft", 1.0), j.value("final", 1.0),
          leftover(j, {"uid", "name", "draft", "final"})};
}

json toJson(const PaperItem& p) {
  json j = withUnknown(p.unknown);
  j.update({{"uid", p.uid},
            {"sort", p.sort == PaperItem::Sort::Bed ? "bed" : "note"},
            {"text", p.text},
            {"at", {p.x, p.y}},
            {"extent", {p.width, p.height}}});
  return j;
}

PaperItem toPaperItem(const json& j) {
  PaperItem p;
  p.uid = j.at("uid").get<std::string>();
  p.sort = j.value("sort", std::string("note")) == "bed" ? PaperItem::Sort::Bed : PaperItem::Sort::Note;
  p.text = j.value("text", std::string());
  if (j.contains("at")) p.x = j["at"].at(0).get<double>(), p.y = j["at"].at(1).get<double>();
  if (j.contains("extent")) p.width = j["extent"].at(0).get<double>(), p.height = j["extent"].at(1).get<double>();
  p.unknown = leftover(j, {"uid", "sort", "text", "at", "extent"});
  return p;
}

json toJson(const PlanSettings& s) {
  json j = withUnknown(s.unknown);
  j.update({{"seed", s.seed},
            {"draft_share", s.draftShare},
            {"sun_heading", s.sunHeadingDeg},
            {"sun_height", s.sunHeightDeg},
            {"haze_distance", s.hazeDistance}});
  if (s.hasWater) j["water_level"] = s.waterLevel;
  json cameras = json::array();
  for (const CameraEntry& c : s.cameras) {
    json camera{
        {"name", c.name}, {"eye", toJson(c.eye)}, {"target", toJson(c.target)}, {"field_of_view", c.fieldOfViewDeg}};
    if (c.sun) camera.update({{"sun_heading", c.sun->headingDeg}, {"sun_height", c.sun->heightDeg}});
    cameras.push_back(std::move(camera));
  }
  j["cameras"] = std::move(cameras);
  for (const auto& [key, b] : s.budgets)
    if (b != Budget{}) j["budgets"][key] = {{"placements", b.placements}, {"triangles", b.triangles}};
  return j;
}

PlanSettings toSettings(const json& j) {
  PlanSettings s;
  s.seed = j.value("seed", s.seed);
  s.draftShare = std::clamp(j.value("draft_share", s.draftShare), 0.0, 1.0);
  s.hasWater = j.contains("water_level");
  s.waterLevel = j.value("water_level", 0.0);
  s.sunHeadingDeg = j.value("sun_heading", s.sunHeadingDeg);
  s.sunHeightDeg = j.value("sun_height", s.sunHeightDeg);
  s.hazeDistance = j.value("haze_distance", s.hazeDistance);
  if (j.contains("cameras"))
    for (const json& c : j["cameras"]) {
      s.cameras.push_back({c.value("name", std::string()), toVec3(c.at("eye")), toVec3(c.at("target")),
                           c.value("field_of_view", 45.0F)});
      if (c.contains("sun_heading") || c.contains("sun_height"))
        s.cameras.back().sun = CameraEntry::Sun{c.value("sun_heading", s.sunHeadingDeg),
                                                c.value("sun_height", s.sunHeightDeg)};
    }
  if (j.contains("budgets"))
    for (const auto& [key, b] : j["budgets"].items())
      s.budgets[key] = {std::max(0.0, b.value("placements", 0.0)), std::max(0.0, b.value("triangles", 0.0))};
  s.unknown = leftover(
      j, {"budgets", "seed", "draft_share", "water_level", "sun_heading", "sun_height", "haze_distance", "cameras"});
  return s;
}

/// One node or prop per group of lines; short values stay on their line, so that differences are honest and readable.
void pretty(std::string& out, const json& j, int indent) {
  const auto pad = [&](int n) { out.append(static_cast<std::size_t>(n) * 2, ' '); };
  const bool isFlat = j.is_primitive() || (j.dump().size() < 100 && indent > 1);
  if (isFlat || j.empty()) {
    out += j.dump();
    return;
  }
  out += j.is_array() ? "[\n" : "{\n";
  bool isFirst = true;
  const auto item = [&](const json& value, const std::string* key) {
    if (!isFirst) out += ",\n";
    isFirst = false;
    pad(indent + 1);
    if (key) out += json(*key).dump() + ": ";
    pretty(out, value, indent + 1);
  };
  if (j.is_array())
    for (const json& value : j) item(value, nullptr);
  else
    for (const auto& [key, value] : j.items()) item(value, &key);
  out += '\n';
  pad(indent);
  out += j.is_array() ? ']' : '}';
}

json toJson(const Plan& plan) {
  json j = withUnknown(plan.unknown);
  j["format"] = "arvesk-plan";
  j["version"] = kVersion;
  j["settings"] = toJson(plan.settings);
  j["nodes"] = json::array();
  for (const Node& node : plan.nodes) j["nodes"].push_back(toJson(node));
  j["props"] = json::array();
  for (const PropEntry& prop : plan.props) j["props"].push_back(toJson(prop));
  for (const Dial& dial : plan.dials) j["dials"].push_back(toJson(dial));
  for (const PaperItem& item : plan.paper) j["paper"].push_back(toJson(item));
  return j;
}

}  // namespace

Result<Plan> parsePlan(const std::string& text, const std::string& where) {
  try {
    const json j = json::parse(text);
    if (!j.is_object() || j.value("format", std::string()) != "arvesk-plan")
      return fail(ProblemCode::FileUnreadable, "is not an Arvesk plan (its \"format\" is not \"arvesk-plan\")",
                  "Choose a file that ends in .arvesk", where);
    Plan plan;
    plan.isReadOnly = j.value("version", 1) > kVersion;
    for (const json& node : j.value("nodes", json::array())) plan.nodes.push_back(toNode(node));
    for (const json& prop : j.value("props", json::array())) plan.props.push_back(toProp(prop));
    for (const json& dial : j.value("dials", json::array())) plan.dials.push_back(toDial(dial));
    for (const json& item : j.value("paper", json::array())) plan.paper.push_back(toPaperItem(item));
    plan.settings = toSettings(j.value("settings", json::object()));
    plan.unknown = leftover(j, {"format", "version", "settings", "nodes", "props", "dials", "paper"});
    return plan;
  } catch (const std::exception& e) {
    return fail(ProblemCode::FileUnreadable, fmt::format("cannot be read as a plan: {}", e.what()),
                "Restore the file from a copy", where);
  }
}

std::string formatPlan(const Plan& plan) {
  std::string out;
  pretty(out, toJson(plan), 0);
  return out + '\n';
}

std::string formatNodes(const Plan& plan, const std::vector<std::string>& uids) {
  Plan part;
  for (const std::string& uid : uids)
    if (const Node* node = plan.find(uid)) part.nodes.push_back(*node);
  for (const Node& node : part.nodes)
    for (const auto& [id, value] : node.params)
      if (const auto* choices = std::get_if<PropChoices>(&value))
        for (const PropChoice& c : *choices)
          if (const PropEntry* prop = plan.findProp(c.prop); prop && !part.findProp(c.prop))
            part.props.push_back(*prop);
  return formatPlan(part);
}

Result<Plan> loadPlan(const std::string& path) {
  constexpr std::size_t kLimit = std::size_t{512} << 20;
  const auto text = readWhole(path, kLimit);
  if (!text) return Failure(text.error());
  return parsePlan(*text, path);
}

Result<void> savePlan(const Plan& plan, const std::string& path) {
  if (plan.isReadOnly)
    return fail(ProblemCode::FileNewer, "was written by a newer version and is open read-only",
                "Save it under another name", path);
  return writeWhole(path, formatPlan(plan));
}

}  // namespace arvesk
