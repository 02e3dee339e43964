#include "core/plan/open_plan.h"

#include "core/base/hash.h"
#include "core/plan/dials.h"
#include "core/plan/plan_index.h"
#include "core/plan/sub_plan_checks.h"

#include <fmt/format.h>

#include <algorithm>

namespace arvesk {
namespace {

/// Nodes side by side: those of the document, or those of one instance.
struct Level {
  Plan plan;  // parameters as they are in the quality
  std::map<std::string, Problem> faults;
  PlanIndex index;
  const Level* outer = nullptr;    // null: the document
  const Node* instance = nullptr;  // in `outer`
  const SubPlan* subPlan = nullptr;
  std::string path;  // before the uids of its nodes
  LiesIn liesIn;
  std::uint64_t seed = 0;
  bool isSeedLocked = false;

  explicit Level(Plan nodes, Quality quality)
      : plan(std::move(nodes)), faults(followDials(plan, quality)), index(plan) {}
  std::string uidOf(const Node& node) const { return path + node.uid; }
};

class Opening {
 public:
  Opening(const Plan& document, Quality quality) : m_document(document), m_quality(quality) {}

  OpenedPlan open() {
    m_out.plan = m_document;
    m_out.plan.nodes.clear();
    m_out.plan.subPlans.clear();
    m_out.problems = followSettings(m_out.plan, m_quality);
    for (const Node& node : m_document.nodes) m_taken.insert(node.uid);
    m_levels.push_back(std::make_unique<Level>(m_document, m_quality));
    put(*m_levels.front());
    for (const std::string& uid : m_looped) fail(uid);
    markEnds();
    return std::move(m_out);
  }

 private:
  const Plan& m_document;
  Quality m_quality;
  OpenedPlan m_out;
  std::vector<std::unique_ptr<Level>> m_levels;
  std::map<std::string, Level*> m_inside;       // by uid of the instance; null: it stays closed
  std::map<std::string, std::string> m_whyNot;  // by uid of those that must fail
  std::set<std::string> m_taken;                // uids of the opened plan
  std::set<std::string> m_followed;             // links that are being followed
  std::set<std::string> m_looped;
  std::map<std::string, const Node*> m_nodes;  // instances that are open

  static void refuse(Node& node, std::string fault) {
    node.params.erase("sub-plan");
    node.refused["sub-plan"] = {"null", std::move(fault)};
  }

  /// The nodes inside of an instance; null when it stays closed.
  Level* inside(const Level& level, const Node& instance) {
    const std::string uid = level.uidOf(instance);
    const auto [known, isNew] = m_inside.try_emplace(uid, nullptr);
    if (!isNew) return known->second;
    const SubPlan* subPlan = m_document.findSubPlan(instance.subPlan);
    if (instance.isSkipped || !subPlan || !instance.made.kind || !instance.refusal().empty()) return nullptr;
    for (const Level* at = &level; at; at = at->outer)
      if (at->subPlan == subPlan) return close(uid, fmt::format("{} lies inside of itself", subPlan->name));
    if (const auto fault = level.faults.find(instance.uid); fault != level.faults.end())
      return close(uid, fault->second.message);
    Plan nodes;
    nodes.nodes = subPlan->nodes;
    nodes.settings.time = m_document.settings.time;
    nodes.frame = m_document.frame;
    for (const FrontControl& control : subPlan->fronts) {
      const ParamValue& value = valueOf(instance, control);
      if (!faultOf(specOf(control), value).empty()) return nullptr;  // the evaluator tells
      nodes.fronts.push_back({control, value, value});
    }
    const std::string path = level.path + instance.insidePath();
    for (const Node& node : subPlan->nodes)
      if (m_taken.contains(path + node.uid))
        return close(uid, fmt::format("its node \"{}\" is in the plan already, under the same uid", node.title));
    for (const Node& node : subPlan->nodes) m_taken.insert(path + node.uid);
    auto made = std::make_unique<Level>(std::move(nodes), m_quality);
    made->outer = &level;
    made->instance = &instance;
    made->subPlan = subPlan;
    made->path = path;
    made->liesIn = {uid, level.liesIn.titles + instance.title + " › "};
    made->seed = seedInside(level.seed, instance.seed);
    made->isSeedLocked = level.isSeedLocked || instance.isSeedLocked;
    m_levels.push_back(std::move(made));
    return m_inside[uid] = m_levels.back().get();
  }
  Level* close(const std::string& uid, std::string why) {
    m_whyNot[uid] = std::move(why);
    return nullptr;
  }

  /// Where the links of `list` really come from, each in its place; nothing where nothing comes.
  std::vector<Link> behind(const Level& level, const std::vector<Link>& list, bool isMany) {
    std::vector<Link> out;
    for (const Link& link : list) {
      std::vector<Link> found = behind(level, link);
      if (found.empty()) found.push_back({{}, {}, link.slot});  // places keep their number
      if (!isMany) found.resize(1);
      out.insert(out.end(), found.begin(), found.end());
    }
    return out;
  }

  std::vector<Link> behind(const Level& level, const Link& link) {
    if (link.isEmpty()) return {};
    const Node* source = level.index.find(link.node);
    const Link asItIs{level.path + link.node, link.output, link.slot};
    if (!source) return {asItIs};
    const bool isWayIn = level.outer && source->kind == kWayIn;
    const Level* within = source->isInstance() ? inside(level, *source) : nullptr;
    if (!isWayIn && !within) return {asItIs};
    const std::string step = asItIs.node + '\n' + asItIs.output;
    if (!m_followed.insert(step).second) {
      m_looped.insert(within ? asItIs.node : level.liesIn.instance);
      return {};
    }
    std::vector<Link> out = isWayIn ? arriving(level, *source, link.slot) : leaving(*within, link);
    m_followed.erase(step);
    return out;
  }

  /// What comes in by a way: from outside, or else from its fallback.
  std::vector<Link> arriving(const Level& level, const Node& way, const std::string& slot) {
    std::vector<Link> out;
    const auto outside = level.instance->inputs.find(way.uid);
    if (outside != level.instance->inputs.end() && !way.isSkipped)
      for (const Link& link : outside->second) {
        const std::vector<Link> found = behind(*level.outer, link);
        if (isMany(way)) {  // each place outside is one inside
          for (const Link& f : found) out.push_back({f.node, f.output, slot + "/" + f.slot});
          if (found.empty()) out.push_back({{}, {}, slot + "/" + link.slot});
        } else if (!found.empty()) {
          return {{found.front().node, found.front().output, slot}};
        }
      }
    if (std::any_of(out.begin(), out.end(), [](const Link& l) { return !l.isEmpty(); })) return out;
    if (const Link* fallback = way.firstLink(kWayInFallback))
      return behind(level, {fallback->node, fallback->output, slot});
    if (isNeeded(way)) return {{level.uidOf(way), kWayValue, slot}};
    return {};
  }

  std::vector<Link> leaving(const Level& within, const Link& link) {
    const Node* way = within.index.find(link.output);
    if (!way || way->kind != kWayOut) return {{within.liesIn.instance, link.output, link.slot}};
    const Link* inner = way->isSkipped ? nullptr : way->firstLink(kWayValue);
    return inner ? behind(within, {inner->node, inner->output, link.slot}) : std::vector<Link>();
  }

  static bool flag(const Node& node, const char* id, bool usual) {
    const auto it = node.params.find(id);
    const bool* value = it == node.params.end() ? nullptr : std::get_if<bool>(&it->second);
    return value ? *value : usual;
  }
  static bool isMany(const Node& way) { return flag(way, "many", false); }
  static bool isNeeded(const Node& way) { return flag(way, "needed", true); }

  /// Puts the level's nodes into the opened plan; gives their uids.
  std::vector<std::string> put(const Level& level) {
    std::vector<std::string> uids;
    const auto add = [&](const std::string& uid) { uids.push_back(uid); };
    const std::set<const Node*> idle = idleNodes(level);
    for (std::size_t i = 0; i < level.plan.nodes.size(); ++i) {
      const Node& node = level.plan.nodes[i];
      if (idle.contains(&node)) continue;
      const std::string uid = level.uidOf(node);
      if (level.outer && (node.kind == kWayIn || node.kind == kWayOut)) {
        if (putWay(level, node)) add(uid);
        continue;
      }
      if (const Level* within = node.isInstance() ? inside(level, node) : nullptr) {
        const std::vector<std::string> further = put(*within);
        uids.insert(uids.end(), further.begin(), further.end());
        putInstance(level, node, *within, further);
        continue;
      }
      // The document's own still follow its dials: whoever shows them wants to know.
      put(level, level.outer ? node : m_document.nodes[i]);
      add(uid);
    }
    return uids;
  }

  /// What only makes fallbacks of ways that something comes in by is not worked out.
  std::set<const Node*> idleNodes(const Level& level) {
    std::set<const Node*> idle;
    std::set<const Node*> fed;
    std::map<const Node*, std::vector<const Node*>> users;
    for (const Node& node : level.plan.nodes) {
      if (level.outer && node.kind == kWayIn && isFed(level, node)) fed.insert(&node);
      for (const Node* source : sourcesOf(level.index, node)) users[source].push_back(&node);
    }
    if (fed.empty()) return idle;
    for (bool isMore = true; isMore;) {
      isMore = false;
      for (const auto& [source, all] : users)
        if (!idle.contains(source) && std::all_of(all.begin(), all.end(), [&](const Node* user) {
              return idle.contains(user) || fed.contains(user);
            }))
          isMore = idle.insert(source).second;
    }
    return idle;
  }
  bool isFed(const Level& level, const Node& way) {
    const auto outside = level.instance->inputs.find(way.uid);
    if (outside == level.instance->inputs.end() || way.isSkipped) return false;
    return std::any_of(outside->second.begin(), outside->second.end(),
                       [&](const Link& link) { return !behind(*level.outer, link).empty(); });
  }

  void put(const Level& level, const Node& node) {
    Node opened = node;
    opened.uid = level.uidOf(node);
    opened.inputs = {};
    const NodeKind* kind = kindOf(node);
    for (const auto& [id, links] : node.inputs) {
      const InputSpec* input = kind ? kind->findInput(id) : nullptr;
      opened.inputs[id] = behind(level, links, !input || input->isMany);
    }
    if (const auto why = m_whyNot.find(opened.uid); why != m_whyNot.end()) refuse(opened, why->second);
    if (level.outer) {
      opened.seed = seedInside(level.seed, node.seed);
      opened.isSeedLocked = node.isSeedLocked || level.isSeedLocked;
      opened.liesIn = level.liesIn;
      opened.follows.clear();
      opened.keys.clear();
      if (const auto fault = level.faults.find(node.uid); fault != level.faults.end())
        refuse(opened, fault->second.message);
    }
    m_out.plan.nodes.push_back(std::move(opened));
  }

  /// A way is no node of the opened plan, but where something must come in and does not: there one says so.
  bool putWay(const Level& level, const Node& way) {
    const std::string uid = level.uidOf(way);
    const bool isIn = way.kind == kWayIn;
    const Link* inner = way.firstLink(kWayValue);
    m_out.ways[uid] = isIn ? arriving(level, way, {}) : inner ? behind(level, *inner) : std::vector<Link>();
    const std::vector<Link>& from = m_out.ways[uid];
    if (!isIn || from.size() != 1 || from.front().node != uid) return false;
    Node failing = way;
    failing.uid = uid;
    failing.inputs.clear();
    failing.liesIn = level.liesIn;
    m_out.plan.nodes.push_back(std::move(failing));
    return true;
  }

  void putInstance(const Level& level, const Node& node, const Level& within, std::vector<std::string> further) {
    const std::string uid = level.uidOf(node);
    OpenedInstance& instance = m_out.instances[uid];
    instance.subPlan = node.subPlan;
    instance.liesIn = level.liesIn;
    instance.nodes = std::move(further);
    const auto first = [](const std::vector<Link>& links) { return links.empty() ? Link() : links.front(); };
    for (const OutputSpec& output : node.made.kind->outputs)
      instance.outputs.push_back(first(behind(level, Link{node.uid, output.id, {}})));
    for (const Node& inner : within.plan.nodes)
      if (inner.kind == kWayIn || inner.kind == kWayOut) instance.ways.push_back(within.uidOf(inner));
    for (const InputSpec& input : node.made.kind->inputs) {
      const Node* way = within.index.find(input.id);
      if (way && instance.main.isEmpty()) instance.main = first(arriving(within, *way, {}));
      break;
    }
    instance.checks = within.subPlan->checks;
    for (const Node& inner : within.plan.nodes)
      if (!instance.checks.empty() && (inner.kind == kWayIn || inner.kind == kWayOut))
        instance.checkedWays.try_emplace(checkName(inner.title), within.uidOf(inner));
    instance.fronts = within.plan.fronts;
    m_nodes[uid] = &node;
  }

  /// An instance whose inputs come from itself stands there by itself after all, so that it is told.
  void fail(const std::string& uid) {
    const auto instance = m_out.instances.find(uid);
    if (instance == m_out.instances.end()) return;
    Node failing = *m_nodes.at(uid);
    failing.uid = uid;
    failing.inputs.clear();
    failing.liesIn = instance->second.liesIn;
    refuse(failing, "its inputs come from itself");
    m_out.instances.erase(instance);
    m_out.plan.nodes.push_back(std::move(failing));
  }

  void markEnds() {
    std::set<std::string> ends;
    for (const auto& [uid, instance] : m_out.instances)
      if (instance.liesIn.instance.empty())
        for (const Link& link : instance.outputs) ends.insert(link.node + '\n' + link.output);
    for (Node& node : m_out.plan.nodes)
      if (const NodeKind* kind = kindOf(node); kind && !kind->outputs.empty())
        node.liesIn.isEnd = ends.contains(node.uid + '\n' + kind->outputs.front().id);
  }
};

}  // namespace

/// Small enough to be read and typed.
std::uint64_t seedInside(std::uint64_t ofInstance, std::uint64_t own) {
  return ofInstance == 0 ? own : 1 + hashOf(ofInstance, own) % 999'999'999;
}

OpenedPlan openPlan(const Plan& plan, Quality quality) { return Opening(plan, quality).open(); }

}  // namespace arvesk
