#include "core/formats/plan_file.h"

#include "core/base/number_text.h"
#include "core/base/safe_file.h"
#include "core/formats/plan_json.h"

#include <fmt/format.h>

#include <cmath>

namespace arvesk {
namespace {

using json = nlohmann::json;

/// Whole numbers stand without a point: 20, not 20.0.
json plain(double v) {
  constexpr double kExact = 9007199254740992.0;  // 2^53
  if (v == std::floor(v) && std::abs(v) < kExact && !(v == 0 && std::signbit(v))) return static_cast<std::int64_t>(v);
  return v;
}
json plain(const std::vector<double>& list) {
  json out = json::array();
  for (const double v : list) out.push_back(plain(v));
  return out;
}
/// The shortest decimal that reads back as the same float.
json plain(float v) { return plain(*numberIn(fmt::format("{}", v))); }
json plain(bool v) { return v; }
json plain(const std::string& v) { return v; }

}  // namespace

nlohmann::json toJson(const ParamValue& value) {
  if (const auto* choices = std::get_if<PropChoices>(&value)) {
    json list = json::array();
    for (const PropChoice& c : *choices)
      list.push_back({{"prop", c.prop}, {"weight", plain(c.weight)}, {"on", c.isOn}});
    return list;
  }
  if (const auto* points = std::get_if<HandPoints>(&value)) {
    json j{{"props", points->props}, {"grounds", json::array()}, {"points", json::array()}};
    for (const GroundPiece& g : points->grounds) j["grounds"].push_back(lineOf(g));
    points->list.forEach([&](const HandPoint& p) { j["points"].push_back(lineOf(p)); });
    return j;
  }
  if (const auto* touches = std::get_if<TouchUps>(&value)) {
    json j{{"props", touches->props}, {"touches", json::array()}};
    touches->list.forEach([&](const TouchUp& t) { j["touches"].push_back(lineOf(t)); });
    return j;
  }
  return std::visit(
      [](const auto& v) -> json {
        using T = std::decay_t<decltype(v)>;
        if constexpr (std::is_same_v<T, PropChoices> || std::is_same_v<T, HandPoints> || std::is_same_v<T, TouchUps>)
          return {};
        else
          return plain(v);
      },
      value);
}

namespace {

json withUnknown(const std::string& unknown) { return unknown.empty() ? json::object() : json::parse(unknown); }

json toJson(const Vec3& v) { return {plain(v.x), plain(v.y), plain(v.z)}; }

json toJson(const Keys& keys) {
  json j = json::object();
  if (keys.before != Beyond::Hold) j["before"] = kBeyonds[static_cast<std::size_t>(keys.before)];
  if (keys.after != Beyond::Hold) j["after"] = kBeyonds[static_cast<std::size_t>(keys.after)];
  j["at"] = json::array();
  for (const Key& key : keys.list) {
    json at{{"frame", plain(key.frame)}, {"value", toJson(key.value)}};
    if (key.easing != Easing::Soft) at["easing"] = kEasings[static_cast<std::size_t>(key.easing)];
    if (key.easing == Easing::Free) at.update({{"leaves", plain(key.leaves)}, {"reaches", plain(key.reaches)}});
    j["at"].push_back(std::move(at));
  }
  return j;
}

json toJson(const Node& node) {
  json j = withUnknown(node.unknown);
  j["uid"] = node.uid;
  j["kind"] = node.kind;
  j["version"] = node.version;
  j["title"] = node.title;
  j["at"] = {plain(node.x), plain(node.y)};
  if (node.isInstance()) j["of"] = node.subPlan;
  if (node.inside) j["inside"] = *node.inside;
  if (node.isSkipped) j["skipped"] = true;
  if (node.isFolded) j["folded"] = true;
  if (node.seed != 0) j["seed"] = node.seed;
  if (node.isSeedLocked) j["seed_locked"] = true;
  json& params = j["params"];
  if (params.is_null()) params = json::object();
  for (const auto& [id, value] : node.refused) params[id] = json::parse(value.written);
  for (const auto& [id, value] : node.params) params[id] = toJson(value);
  if (!node.follows.empty()) j["follows"] = node.follows;
  for (const auto& [id, keys] : node.keys)
    if (!keys.isEmpty()) j["keys"][id] = toJson(keys);
  json& inputs = j["inputs"];
  if (inputs.is_null()) inputs = json::object();
  for (const auto& [id, links] : node.inputs) {
    json list = json::array();
    for (const Link& link : links) list.push_back({{"node", link.node}, {"output", link.output}, {"slot", link.slot}});
    if (!list.empty()) inputs[id] = std::move(list);
  }
  return j;
}

json toJson(const PropEntry& p) {
  json j = withUnknown(p.unknown);
  j["uid"] = p.uid;
  j["name"] = p.name;
  j["file"] = p.file;
  if (p.partBy != PartBy::Whole) {
    j["part_by"] = kPartNames[static_cast<std::size_t>(p.partBy)];
    j["part"] = p.part;
  }
  if (p.unitScale != 1) j["unit_scale"] = plain(p.unitScale);
  if (p.isZUp) j["z_up"] = true;
  if (p.pivot != PivotAt::AsMade) j["pivot"] = kPivotNames[static_cast<std::size_t>(p.pivot)];
  const PropEntry usual;
  const auto number = [&](const char* key, double v, double unsaid) {
    if (v != unsaid) j[key] = plain(v);
  };
  number("common_height", p.commonHeight, usual.commonHeight);
  number("size", p.size, usual.size);
  if (p.isLargeMeant) j["large"] = true;
  if (p.turnDeg != Vec3(0)) j["turn"] = toJson(p.turnDeg);
  number("footprint", p.footprint, usual.footprint);
  number("base", p.base, usual.base);
  number("weight", p.weight, usual.weight);
  if (!p.tags.empty()) j["tags"] = p.tags;
  number("crease", p.creaseDeg, usual.creaseDeg);
  if (!p.isMassingBox) j["massing"] = "simplified";
  if (!p.lightFile.empty()) j["light_file"] = p.lightFile;
  number("massing_triangles", p.massingTriangles, usual.massingTriangles);
  if (p.isMassingShown) j["massing_shown"] = true;
  if (p.isByReference) j["by_reference"] = true;
  if (!p.deliveredFile.empty()) j["delivered_file"] = p.deliveredFile;
  for (const MountEntry& m : p.mounts) {
    json mount{{"name", m.name}, {"at", toJson(m.position)}, {"turn", toJson(m.turnDeg)}};
    if (m.size != 1) mount["size"] = plain(m.size);
    j["mounts"].push_back(std::move(mount));
  }
  const ValueEntry plainly;
  for (const ValueEntry& v : p.values) {
    json value{
        {"by", kValueBys[static_cast<std::size_t>(v.by)]}, {"zero_at", plain(v.zeroAt)}, {"one_at", plain(v.oneAt)}};
    if (v.into == ValueInto::Named)
      value["name"] = v.name;
    else
      value["into"] = kValueIntos[static_cast<std::size_t>(v.into)];
    if (v.reach != plainly.reach) value["reach"] = plain(v.reach);
    if (v.edgeDeg != plainly.edgeDeg) value["edge_angle"] = plain(v.edgeDeg);
    if (v.direction != plainly.direction) value["direction"] = toJson(v.direction);
    j["values"].push_back(std::move(value));
  }
  return j;
}

json toJson(const Dial& d) {
  json j = withUnknown(d.unknown);
  j.update({{"uid", d.uid}, {"name", d.name}, {"draft", plain(d.draft)}, {"final", plain(d.final)}});
  if (!d.keys.isEmpty()) j["keys"] = toJson(d.keys);
  return j;
}

json toJson(const PaperItem& p) {
  json j = withUnknown(p.unknown);
  j.update({{"uid", p.uid},
            {"sort", p.sort == PaperItem::Sort::Bed ? "bed" : "note"},
            {"text", p.text},
            {"at", {plain(p.x), plain(p.y)}},
            {"extent", {plain(p.width), plain(p.height)}}});
  return j;
}

json toJson(const FrontControl& c) {
  json j = withUnknown(c.unknown);
  j["id"] = c.id;
  j["type"] = kParamTypeNames[static_cast<std::size_t>(c.type)];
  j["label"] = c.label;
  const auto text = [&](const char* key, const std::string& value) {
    if (!value.empty()) j[key] = value;
  };
  text("help", c.help);
  text("group", c.group);
  if (c.unit != Unit::None) j["unit"] = kUnitNames[static_cast<std::size_t>(c.unit)];
  const FrontControl usual;
  const auto number = [&](const char* key, double v, double unsaid) {
    if (v != unsaid) j[key] = plain(v);
  };
  number("least", c.least, usual.least);
  number("most", c.most, usual.most);
  number("usual_least", c.usualLeast, usual.usualLeast);
  number("usual_most", c.usualMost, usual.usualMost);
  number("step", c.step, usual.step);
  for (const Option& o : c.options) j["options"].push_back({{"id", o.id}, {"label", o.label}});
  if (c.form != TextForm::Line) j["form"] = kTextFormNames[static_cast<std::size_t>(c.form)];
  text("file_kind", c.fileKind);
  text("shown_by", c.shownBy);
  if (!c.shownFor.empty()) j["shown_for"] = c.shownFor;
  j["usual"] = toJson(c.usual);
  return j;
}

json toJson(const SubPlan& s) {
  json j = withUnknown(s.unknown);
  j["uid"] = s.uid;
  j["name"] = s.name;
  const auto text = [&](const char* key, const std::string& value) {
    if (!value.empty()) j[key] = value;
  };
  text("sentence", s.sentence);
  text("help", s.help);
  text("author", s.author);
  text("license", s.license);
  text("tags", s.tags);
  text("category", s.category);
  text("news", s.news);
  if (s.version != 1) j["version"] = s.version;
  for (const FrontControl& c : s.fronts) j["fronts"].push_back(toJson(c));
  for (const SubPlanCheck& c : s.checks) j["checks"].push_back({{"formula", c.formula}, {"words", c.words}});
  j["nodes"] = json::array();
  for (const Node& node : s.nodes) j["nodes"].push_back(toJson(node));
  for (const PaperItem& item : s.paper) j["paper"].push_back(toJson(item));
  return j;
}

json toJson(const PlanSettings& s) {
  json j = withUnknown(s.unknown);
  j.update({{"seed", s.seed},
            {"draft_share", plain(s.draftShare)},
            {"sun_heading", plain(s.sunHeadingDeg)},
            {"sun_height", plain(s.sunHeightDeg)},
            {"haze_distance", plain(s.hazeDistance)}});
  if (s.time) j["time"] = {{"first", s.time->first}, {"last", s.time->last}, {"rate", plain(s.time->rate)}};
  if (s.hasWater) j["water_level"] = plain(s.waterLevel);
  if (!s.follows.empty()) j["follows"] = s.follows;
  json cameras = json::array();
  for (const CameraEntry& c : s.cameras) {
    json camera{{"name", c.name},
                {"eye", toJson(c.eye)},
                {"target", toJson(c.target)},
                {"field_of_view", plain(c.fieldOfViewDeg)}};
    if (c.sun) camera.update({{"sun_heading", plain(c.sun->headingDeg)}, {"sun_height", plain(c.sun->heightDeg)}});
    cameras.push_back(std::move(camera));
  }
  j["cameras"] = std::move(cameras);
  for (const auto& [key, b] : s.budgets)
    if (b != Budget{}) j["budgets"][key] = {{"placements", plain(b.placements)}, {"triangles", plain(b.triangles)}};
  return j;
}

/// Would it take fewer than `most` characters on one line? Looks at no more of it than that.
bool isShort(const json& j, std::size_t& most) {
  const auto take = [&](std::size_t count) {
    most = count < most ? most - count : 0;
    return most > 0;
  };
  if (j.is_string()) return take(j.get_ref<const std::string&>().size() + 2);
  if (!j.is_structured()) return take(j.dump().size());
  for (const auto& [key, value] : j.items())
    if (!take(j.is_object() ? key.size() + 4 : 1) || !isShort(value, most)) return false;
  return take(2);
}

/// One node or prop per group of lines; short values stay on their line, so that differences are honest and readable.
void pretty(std::string& out, const json& j, int indent) {
  const auto pad = [&](int n) { out.append(static_cast<std::size_t>(n) * 2, ' '); };
  std::size_t most = 100;
  const bool isFlat = j.is_primitive() || (indent > 1 && isShort(j, most) && j.dump().size() < 100);
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
  j["version"] = kPlanVersion;
  j["settings"] = toJson(plan.settings);
  j["nodes"] = json::array();
  for (const Node& node : plan.nodes) j["nodes"].push_back(toJson(node));
  j["props"] = json::array();
  for (const PropEntry& prop : plan.props) j["props"].push_back(toJson(prop));
  for (const Dial& dial : plan.dials) j["dials"].push_back(toJson(dial));
  for (const PaperItem& item : plan.paper) j["paper"].push_back(toJson(item));
  for (const SubPlan& s : plan.subPlans) j["sub_plans"].push_back(toJson(s));
  if (!plan.tool.empty()) j["tool"] = plan.tool;
  return j;
}

}  // namespace

namespace {

/// Numbers that are the same as before are written as they were: 20.0 stays 20.0, and 20 stays 20.
void writeAsBefore(json& now, const json& before) {
  if (now.is_number() && before.is_number()) {
    if (now.is_number_float() || before.is_number_float() ? now.get<double>() == before.get<double>() : now == before)
      now = before;
  } else if (now.is_object() && before.is_object()) {
    for (auto& [key, value] : now.items())
      if (const auto it = before.find(key); it != before.end()) writeAsBefore(value, *it);
  } else if (now.is_array() && before.is_array()) {
    const auto uidOf = [](const json& j) { return j.is_object() ? j.value("uid", json()) : json(); };
    std::map<json, const json*> byUid;
    for (const json& item : before)
      if (json uid = uidOf(item); !uid.is_null()) byUid.emplace(std::move(uid), &item);
    for (std::size_t i = 0; i < now.size(); ++i) {
      if (const auto it = byUid.find(uidOf(now[i])); it != byUid.end())
        writeAsBefore(now[i], *it->second);
      else if (byUid.empty() && i < before.size())
        writeAsBefore(now[i], before[i]);
    }
  }
}

}  // namespace

std::string formatPlan(const Plan& plan) {
  json j = toJson(plan);
  if (plan.origin.text)
    if (const auto before = parsePlan(*plan.origin.text, {})) {
      Plan saved = plan;
      saved.frame.reset();
      if (*before == saved) return *plan.origin.text;
      writeAsBefore(j, json::parse(*plan.origin.text));
    }
  std::string out;
  pretty(out, j, 0);
  return out + '\n';
}

std::string formatNodes(const Plan& plan, const std::vector<std::string>& uids) {
  Plan part;
  for (const std::string& uid : uids)
    if (const Node* node = plan.find(uid)) part.nodes.push_back(*node);
  const auto take = [&](const std::string& uid) {
    if (const PropEntry* prop = plan.findProp(uid); prop && !part.findProp(uid)) part.props.push_back(*prop);
  };
  const auto takeOf = [&](const ParamValue& value) {
    if (const auto* choices = std::get_if<PropChoices>(&value))
      for (const PropChoice& c : *choices) take(c.prop);
    else if (const auto* points = std::get_if<HandPoints>(&value))
      for (const std::string& prop : points->props) take(prop);
    else if (const auto* touches = std::get_if<TouchUps>(&value))
      for (const std::string& prop : touches->props) take(prop);
  };
  const auto takeAll = [&](const std::vector<Node>& nodes) {
    for (const Node& node : nodes) {
      for (const auto& [id, value] : node.params) takeOf(value);
      if (const SubPlan* s = node.isInstance() ? plan.findSubPlan(node.subPlan) : nullptr;
          s && !part.findSubPlan(s->uid))
        part.subPlans.push_back(*s);
    }
  };
  takeAll(part.nodes);
  for (std::size_t i = 0; i < part.subPlans.size(); ++i) {  // those inside of them join at the end
    const SubPlan s = part.subPlans[i];
    takeAll(s.nodes);
    for (const FrontControl& control : s.fronts) takeOf(control.usual);
  }
  return formatPlan(part);
}

Result<Plan> loadPlan(const std::string& path) {
  const auto text = readWhole(path, kLargestPlan);
  if (!text) return Failure(text.error());
  return parsePlan(*text, path);
}

Result<std::string> savePlan(const Plan& plan, const std::string& path) {
  if (plan.isReadOnly)
    return fail(ProblemCode::FileNewer, "was written by a newer version and is open read-only",
                "Save it under another name", path);
  std::string text = formatPlan(plan);
  if (auto ok = writeWhole(path, text); !ok) return Failure(ok.error());
  return text;
}

}  // namespace arvesk
