#include "core/formats/library.h"

#include "core/formats/plan_file.h"
#include "core/plan/making_sub_plan.h"
#include "core/plan/plan_paths.h"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <set>

namespace arvesk {
namespace {

namespace fs = std::filesystem;

std::string folderOf(const std::string& file) { return fs::path(file).parent_path().string(); }

/// The sub-plan and all that lie inside of it.
std::vector<std::string> closureOf(const Plan& plan, const std::string& uid) {
  std::vector<std::string> out{uid};
  for (std::size_t i = 0; i < out.size(); ++i) {
    const SubPlan* s = plan.findSubPlan(out[i]);
    if (!s) continue;
    for (const Node& node : s->nodes)
      if (node.isInstance() && std::find(out.begin(), out.end(), node.subPlan) == out.end())
        out.push_back(node.subPlan);
  }
  return out;
}

/// Uids of the props that values name.
void addProps(const ParamValue& value, std::set<std::string>& props) {
  if (const auto* choices = std::get_if<PropChoices>(&value))
    for (const PropChoice& c : *choices) props.insert(c.prop);
  if (const auto* points = std::get_if<HandPoints>(&value)) props.insert(points->props.begin(), points->props.end());
  if (const auto* touches = std::get_if<TouchUps>(&value)) props.insert(touches->props.begin(), touches->props.end());
}
std::set<std::string> propsOf(const Plan& plan, const std::vector<std::string>& subPlans) {
  std::set<std::string> props;
  for (const std::string& uid : subPlans)
    if (const SubPlan* s = plan.findSubPlan(uid)) {
      for (const Node& node : s->nodes)
        for (const auto& [id, value] : node.params) addProps(value, props);
      for (const FrontControl& control : s->fronts) addProps(control.usual, props);
    }
  return props;
}

/// The sub-plans with their props, as a plan without nodes.
Plan partOf(const Plan& plan, const std::string& uid) {
  Plan part;
  const std::vector<std::string> all = closureOf(plan, uid);
  for (const std::string& one : all)
    if (const SubPlan* s = plan.findSubPlan(one)) part.subPlans.push_back(*s);
  const std::set<std::string> props = propsOf(plan, all);
  for (const PropEntry& prop : plan.props)
    if (props.contains(prop.uid)) part.props.push_back(prop);
  return part;
}

/// Calls with(node) for each, in the document and inside of sub-plans; the plan may be const.
template <typename P, typename With>
void forInstancesOf(P& plan, const std::string& subPlan, const With& with) {
  const auto look = [&](auto& nodes) {
    for (auto& node : nodes)
      if (node.isInstance() && node.subPlan == subPlan) with(node);
  };
  look(plan.nodes);
  for (auto& s : plan.subPlans) look(s.nodes);
}

std::string controlOf(const std::string& key) { return key.substr(0, key.find('.')); }

/// What instances set of controls that are no more.
std::set<std::string> setButGone(const Plan& plan, const SubPlan& has, const SubPlan& there) {
  std::set<std::string> gone;
  forInstancesOf(plan, has.uid, [&](const Node& node) {
    const auto look = [&](const std::string& id) {
      const FrontControl* now = there.findFront(id);
      const FrontControl* before = has.findFront(id);
      if (before && (!now || now->type != before->type)) gone.insert(id);
    };
    for (const auto& [id, value] : node.params) look(id);
    for (const auto& [key, formula] : node.follows) look(controlOf(key));
    for (const auto& [key, keys] : node.keys) look(controlOf(key));
  });
  return gone;
}

/// Inputs that something comes in by, at uses, and that are no more; by id, with what they were called.
std::map<std::string, std::string> linkedButGone(const Plan& plan, const SubPlan& has, const SubPlan& there) {
  std::map<std::string, std::string> gone;
  forInstancesOf(plan, has.uid, [&](const Node& node) {
    for (const auto& [id, links] : node.inputs) {
      const bool isLinked = std::any_of(links.begin(), links.end(), [](const Link& l) { return !l.isEmpty(); });
      const InputSpec* before = has.made.kind ? has.made.kind->findInput(id) : nullptr;
      if (isLinked && before && there.made.kind && !there.made.kind->findInput(id)) gone[id] = before->label;
    }
  });
  return gone;
}

std::string fileNameFor(const std::string& name) {
  std::string out;
  for (const char c : name) {
    const bool isPlain = (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9');
    if (isPlain)
      out += c;
    else if (c >= 'A' && c <= 'Z')
      out += static_cast<char>(c - 'A' + 'a');
    else if (!out.empty() && out.back() != '-')
      out += '-';
  }
  while (out.ends_with('-')) out.pop_back();
  return (out.empty() ? "sub-plan" : out) + ".arvesk";
}

/// Something for each input, so that the file shows the tool at work.
void addTrial(Plan& plan) {
  const SubPlan& s = *plan.findSubPlan(plan.tool);
  const NodeKind& kind = *s.made.kind;
  double x = 0;
  const auto trialNode = [&](const char* kindId, const ParamMap& params, double y) -> Node& {
    const NodeKind& k = *findNodeKind(kindId);
    Node node;
    node.uid = newUid();
    node.kind = k.id;
    node.version = k.version;
    node.title = freeTitle(plan, k.label);
    node.params = params;
    node.x = x;
    node.y = y;
    plan.nodes.push_back(std::move(node));
    return plan.nodes.back();
  };
  Node shown;
  shown.uid = newUid();
  shown.kind = Node::kInstanceKind;
  shown.subPlan = s.uid;
  shown.title = s.name;
  shown.x = 140;
  shown.y = 240;
  const auto ground = [&] {
    for (const Node& node : plan.nodes)
      if (node.kind == "shape") return node.uid;
    return trialNode("shape", {{"form", std::string("plane")}, {"extent", std::vector<double>{20, 1, 20}}}, 20).uid;
  };
  const auto join = [&](Node& node, const std::string& input, const std::string& from) {
    const NodeKind* k = kindOf(*plan.find(from));
    node.inputs[input].push_back({from, k->outputs.front().id, newUid()});
  };
  for (const InputSpec& input : kind.inputs) {
    if (input.isOptional) continue;
    x += 260;
    std::string from;
    switch (input.type) {
      case ValueType::Surface: from = ground(); break;
      case ValueType::Volume: {
        const std::string body = trialNode("shape", {{"form", std::string("ball")}, {"radius", 3.0}}, 20).uid;
        Node& solid = trialNode("solid", {}, 120);
        from = solid.uid;
        join(*plan.find(from), "surfaces", body);
        break;
      }
      case ValueType::Points: {
        const std::string under = ground();
        from = trialNode("sow-on-surface", {{"density", 0.2}}, 120).uid;
        join(*plan.find(from), "surface", under);
        break;
      }
      case ValueType::Mask: from = trialNode("noise", {}, 120).uid; break;
      case ValueType::Kit: from = trialNode("choose-props", {{"pattern", std::string("*")}}, 120).uid; break;
    }
    join(shown, input.id, from);
  }
  shown.made = s.made;
  plan.nodes.push_back(std::move(shown));
}

}  // namespace

LibraryToolPtr Library::find(const std::string& uid) const {
  const auto it = std::find_if(tools.begin(), tools.end(),
                               [&](const LibraryToolPtr& t) { return t->plan.tool == uid; });
  return it == tools.end() ? nullptr : *it;
}

std::string shippedLibrary() {
  std::error_code fault;
  const fs::path program = fs::read_symlink("/proc/self/exe", fault).parent_path();
  for (const char* way : {"../share/arvesk/sub-plans", "../../../demo/sub-plans"})
    if (fs::is_directory(program / way, fault)) return (program / way).lexically_normal().string();
  return {};
}

Library readLibrary(const std::vector<LibraryFolder>& folders) {
  Library out;
  for (const LibraryFolder& folder : folders) {
    std::error_code fault;
    std::vector<std::string> files;
    for (fs::directory_iterator it(folder.path, fault), end; !fault && it != end; it.increment(fault))
      if (it->path().extension() == ".arvesk") files.push_back(it->path().string());
    std::sort(files.begin(), files.end());
    for (const std::string& file : files) {
      auto plan = loadPlan(file);
      if (!plan) {
        out.problems.push_back(plan.error());
        continue;
      }
      if (plan->tool.empty()) continue;  // a plan that lies there
      if (!plan->findSubPlan(plan->tool)) {
        out.problems.push_back(problem(ProblemCode::FileUnreadable, "is there for a sub-plan that is not in it",
                                       "Keep the sub-plan in the library anew", file));
        continue;
      }
      if (const LibraryToolPtr known = out.find(plan->tool)) {
        out.problems.push_back(
            {ProblemCode::BadParameter, Severity::Note, file,
             fmt::format("{} is in the library already, as {}", plan->findSubPlan(plan->tool)->name, known->file),
             "That one counts"});
        continue;
      }
      out.tools.push_back(std::make_shared<const LibraryTool>(LibraryTool{file, folder.isReadOnly, std::move(*plan)}));
    }
  }
  std::sort(out.tools.begin(), out.tools.end(), [](const LibraryToolPtr& a, const LibraryToolPtr& b) {
    return std::tie(a->tool().name, a->file) < std::tie(b->tool().name, b->file);
  });
  return out;
}

void bringTool(Plan& plan, const LibraryTool& tool, const std::string& folder) {
  Plan part = partOf(tool.plan, tool.plan.tool);
  rebasePaths(part, folderOf(tool.file), folder);
  for (SubPlan& s : part.subPlans)
    if (!plan.findSubPlan(s.uid)) plan.subPlans.push_back(std::move(s));
  for (PropEntry& prop : part.props)
    if (!plan.findProp(prop.uid)) plan.props.push_back(std::move(prop));
  fitSubPlans(plan);
}

std::vector<LaterVersion> laterVersions(const Plan& plan, const Library& library) {
  std::vector<LaterVersion> out;
  for (const SubPlan& s : plan.subPlans) {
    const LibraryToolPtr tool = library.find(s.uid);
    if (!tool || tool->tool().version <= s.version) continue;
    LaterVersion later{s.uid, s.version, tool->tool().version, tool->tool().news, {}};
    for (const std::string& id : setButGone(plan, s, tool->tool())) later.gone.push_back(s.findFront(id)->label);
    for (const auto& [id, label] : linkedButGone(plan, s, tool->tool())) later.gone.push_back(label);
    out.push_back(std::move(later));
  }
  return out;
}

void takeVersion(Plan& plan, const LibraryTool& tool, const std::string& folder) {
  const SubPlan* has = plan.findSubPlan(tool.plan.tool);
  if (!has) return bringTool(plan, tool, folder);
  const std::set<std::string> gone = setButGone(plan, *has, tool.tool());
  const std::map<std::string, std::string> unlinked = linkedButGone(plan, *has, tool.tool());
  forInstancesOf(plan, has->uid, [&](Node& node) {
    std::erase_if(node.params, [&](const auto& param) { return gone.contains(param.first); });
    std::erase_if(node.follows, [&](const auto& follow) { return gone.contains(controlOf(follow.first)); });
    std::erase_if(node.keys, [&](const auto& keys) { return gone.contains(controlOf(keys.first)); });
    std::erase_if(node.inputs, [&](const auto& input) { return unlinked.contains(input.first); });
  });
  Plan part = partOf(tool.plan, tool.plan.tool);
  rebasePaths(part, folderOf(tool.file), folder);
  for (SubPlan& s : part.subPlans)
    if (SubPlan* here = plan.findSubPlan(s.uid); !here)
      plan.subPlans.push_back(std::move(s));
    else if (s.version > here->version)
      *here = std::move(s);
  for (PropEntry& prop : part.props)
    if (!plan.findProp(prop.uid)) plan.props.push_back(std::move(prop));
  fitSubPlans(plan);
}

Result<std::string> keepInLibrary(const Plan& plan, const std::string& subPlan, const std::string& into,
                                  const std::string& folder) {
  if (!plan.findSubPlan(subPlan))
    return fail(ProblemCode::MissingInput, fmt::format("there is no sub-plan {} in the plan", subPlan));
  Plan part = partOf(plan, subPlan);
  part.tool = subPlan;
  SubPlan& tool = *part.findSubPlan(subPlan);
  std::error_code fault;
  fs::create_directories(into, fault);
  rebasePaths(part, folder, into);
  std::string file;
  for (const LibraryToolPtr& known : readLibrary({{into, false}}).tools) {
    if (known->plan.tool != subPlan) continue;
    file = known->file;
    // Those inside too: where one of them is another, so is the tool.
    bool isAnother = false;
    for (SubPlan& s : part.subPlans) {
      const SubPlan* before = known->plan.findSubPlan(s.uid);
      if (!before || s.uid == subPlan) continue;
      SubPlan same = *before;
      same.version = s.version;
      if (same == s) continue;
      isAnother = true;
      s.version = std::max(s.version, before->version + 1);
    }
    SubPlan same = known->tool();
    same.version = tool.version;
    same.news = tool.news;
    if (isAnother || !(same == tool)) tool.version = std::max(tool.version, known->tool().version + 1);
    part.nodes = known->plan.nodes;
    part.paper = known->plan.paper;
    part.settings = known->plan.settings;
    for (const PropEntry& prop : known->plan.props)
      if (!part.findProp(prop.uid)) part.props.push_back(prop);
    for (const SubPlan& s : known->plan.subPlans)
      if (!part.findSubPlan(s.uid)) part.subPlans.push_back(s);
  }
  fitSubPlans(part);
  if (part.nodes.empty()) addTrial(part);
  for (int n = 1; file.empty(); ++n) {
    const fs::path path = fs::path(into) / fileNameFor(n == 1 ? tool.name : fmt::format("{} {}", tool.name, n));
    if (!fs::exists(path, fault)) file = path.string();
  }
  if (auto ok = savePlan(part, file); !ok) return Failure(ok.error());
  return file;
}

}  // namespace arvesk
