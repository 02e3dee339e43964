#include "core/plan/evaluator.h"
#include "core/plan/order_notes.h"

#include "core/base/border.h"
#include "core/geometry/joined.h"
#include "core/plan/dials.h"
#include "core/plan/history.h"
#include "core/plan/keys.h"
#include "core/plan/mask_names.h"
#include "core/plan/parts.h"
#include "core/plan/plan_index.h"
#include "core/plan/prop_loading.h"
#include "core/plan/riding.h"
#include "core/plan/sub_plan_checks.h"

#include <fmt/format.h>
#include <tbb/task_arena.h>
#include <tbb/task_group.h>

#include <atomic>
#include <chrono>
#include <limits>
#include <queue>

namespace arvesk {
namespace {

using Clock = std::chrono::steady_clock;

double millisecondsSince(Clock::time_point start) {
  return std::chrono::duration<double, std::milli>(Clock::now() - start).count();
}

/// m around a part from which on all of the world is looked at; no chain that was measured was that long.
constexpr double kWidest = 1e5;

/// Masks inside of masks: each asks the next while it waits itself, on one stack.
constexpr int kDeepestMask = 400;

/// A node's result in the cache.
struct CachedNode final : Cached {
  Outputs outputs;
  NodeReport report;
  MemoryPtr after;  // of a kind that remembers
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    if (after) after->countBytes(counter);
    if (report.histogram)
      counter.add(report.histogram.get(), sizeof(Histogram) + 8 * report.histogram->kept.capacity());
    for (const Value& v : outputs) arvesk::countBytes(v, counter);
  }
};

/// One node of a run: what it waits for, and what came of it. Its results are written once, before any that waits for
/// it begins.
struct Step {
  const Node* node = nullptr;
  const NodeKind* kind = nullptr;
  std::vector<Step*> after;       // those that wait for it
  std::atomic<std::size_t> left;  // of what it waits for itself
  std::size_t rank = 0;           // those of low rank go first
  bool isLooped = false;
  ResultKey key{};
  NodeReport report;
  Outputs values;     // as the nodes after it take them
  Outputs delivered;  // as the evaluation holds them
  Step() : left(1) {}
};

void nameTheNode(NodeReport& report, const Node& node) {
  for (Problem& p : report.problems)
    if (p.where.empty()) p.where = node.where();
}

NodeReport failed(const Node& node, Problem p, NodeState state = NodeState::Failed) {
  NodeReport report;
  report.state = state;
  report.problems.push_back(std::move(p));
  nameTheNode(report, node);
  return report;
}

/// One evaluation of an opened plan.
class Run {
 public:
  Run(FileService& files, const Plan& plan, const EvalRequest& request, const Memories& memories,
      std::map<std::string, double> wider = {})
      : m_files(files),
        m_plan(plan),
        m_index(m_plan),
        m_request(request),
        m_memories(memories),
        m_wider(std::move(wider)) {
    m_dialProblems = followDials(m_plan, request.quality);
    if (!request.part.isAll()) m_parts = neededParts(m_plan, request.wanted, request.part, m_wider);
    if (request.quality != Quality::Draft) return;
    m_share = static_cast<float>(plan.settings.draftShare);
    m_thinnable = thinnableNodes(m_plan);
  }

  Evaluation evaluate() {
    PlanOrder order(m_index);
    // Layer by layer, each after what it is made from: what can be shown is there early, and few things are half done.
    if (m_request.wanted.empty())
      for (const bool isLayerWanted : {true, false})
        for (const Node& node : m_plan.nodes)
          if (const NodeKind* kind = kindOf(node); !isLayerWanted || (kind && kind->isLayer)) order.add(node);
    for (const std::string& uid : m_request.wanted)
      if (const Node* node = m_index.find(uid)) order.add(*node);
    for (const Node* node : order.nodes()) {
      Step& step = stepOf(*node);
      step.isLooped = order.isLooped(*node);
      step.rank = m_order.size();
      m_order.push_back(&step);
    }
    for (Step* step : m_order) waitFor(*step);
    m_propsLeft = m_plan.props.size();
    m_props.resize(m_plan.props.size());
    for (const Step* step : m_dressing) m_propRank = std::min(m_propRank, step->rank);
    try {
      beginAll();
      m_group.wait();
    } catch (...) {  // no memory for the next step: those under way look at what would be gone
      m_group.cancel();
      m_group.wait();
      throw;
    }
    return result();
  }

  /// What the nodes that remember know of this frame; those that are not done are missing.
  const std::map<std::string, std::pair<MemoryPtr, ResultKey>>& left() const { return m_left; }
  /// What nodes need around their part, in m and by uid, where it was too little: then the run has no result.
  const std::map<std::string, double>& asked() const { return m_asked; }
  /// Those of it that is for others' room: the same for every part of the plan.
  const std::map<std::string, double>& rooms() const { return m_rooms; }

 private:
  FileService& m_files;
  Plan m_plan;  // with what follows dials worked out
  PlanIndex m_index;
  const EvalRequest& m_request;
  const Memories& m_memories;
  std::map<std::string, double> m_wider;
  std::map<std::string, Part> m_parts;  // where what each node gives has to be whole; empty: everywhere
  std::map<std::string, double> m_asked, m_rooms;
  std::map<std::string, Problem> m_dialProblems;
  float m_share = 1;
  std::set<std::string> m_thinnable;  // only in a draft

  std::map<std::string, Step> m_steps;
  std::vector<Step*> m_order;     // those to be worked out, each after what it takes from
  std::vector<Step*> m_dressing;  // those that look at props
  std::vector<LoadedProp> m_props;
  std::vector<PropPtr> m_propList;
  std::atomic<std::size_t> m_propsLeft{0};
  std::size_t m_propRank = std::numeric_limits<std::size_t>::max();

  struct Ready {
    std::size_t rank;
    std::size_t number;
    std::function<void()> work;
    std::function<void()> then;  // lets go of what waited for it
    bool operator<(const Ready& o) const { return rank != o.rank ? rank > o.rank : number > o.number; }
  };
  std::mutex m_readyMutex;
  std::priority_queue<Ready> m_ready;
  std::size_t m_readyCount = 0;
  tbb::task_group m_group;

  std::mutex m_tellMutex;
  std::size_t m_stepsDone = 0;
  std::size_t m_propsDone = 0;
  bool m_isTellingOfProps = false;
  std::mutex m_draftMutex;
  std::map<const Points*, PointsPtr> m_drafts;                    // made in this run
  std::map<std::string, std::pair<MemoryPtr, ResultKey>> m_left;  // by the nodes that remember

  void beginAll() {
    for (std::size_t i = 0; i < m_props.size(); ++i)
      enqueue(
          m_propRank, [this, i] { loadOneProp(i); },
          [this] {
            if (--m_propsLeft == 0) propsAreThere();
          });
    if (m_props.empty()) propsAreThere();
    for (Step* step : m_order) release(*step);
  }

  bool isCancelled() const { return m_request.task.isCancelled(); }
  bool isThinned(const Node& node) const { return m_share < 1 && m_thinnable.contains(node.uid); }

  Step& stepOf(const Node& node) {
    Step& step = m_steps[node.uid];
    step.node = &node;
    step.kind = kindOf(node);
    return step;
  }

  /// The step begins when all is there that it looks at. What lies on a loop waits for nothing and fails.
  void waitFor(Step& step) {
    if (step.isLooped) return;
    std::set<Step*> sources;
    for (const Node* source : sourcesOf(m_index, *step.node)) sources.insert(&m_steps.at(source->uid));
    for (Step* source : sources) {
      source->after.push_back(&step);
      ++step.left;
    }
    if (step.kind && step.kind->usesProp) {
      m_dressing.push_back(&step);
      ++step.left;
    }
  }

  void enqueue(std::size_t rank, std::function<void()> work, std::function<void()> then) {
    {
      const std::lock_guard lock(m_readyMutex);
      m_ready.push({rank, m_readyCount++, std::move(work), std::move(then)});
    }
    m_group.run([this] {
      setFloatingPointMode();
      std::optional<Ready> next;
      {
        const std::lock_guard lock(m_readyMutex);
        next = m_ready.top();
        m_ready.pop();
      }
      // Isolated: who waits for the pieces of one node's loop must not begin another node meanwhile. What waited is let
      // go outside: tasks that are born in an isolated region could be taken by nobody who waits for an inner plan.
      tbb::this_task_arena::isolate(next->work);
      next->then();
    });
  }

  void release(Step& step) {
    if (--step.left == 0)
      enqueue(
          step.rank, [this, &step] { run(step); },
          [this, &step] {
            for (Step* after : step.after) release(*after);
          });
  }

  void loadOneProp(std::size_t i) {
    const PropEntry& entry = m_plan.props[i];
    if (isCancelled()) return;
    Task task{m_request.task.stop, {}};
    if (m_request.atWork) task.doing = [this](const std::string& what) { tellOfProps(what); };
    try {
      const StopScope scope(m_request.task.stop);
      m_props[i] = loadProp(m_files, entry, task);
    } catch (const Cancelled&) {
      return;  // what came of it is of no use
    }
    bool isLast = false;
    tell([&] { isLast = ++m_propsDone == m_props.size() && m_isTellingOfProps; });
    if (isLast) tellOfProps({});
  }
  void tellOfProps(const std::string& what) {
    tell([&] {
      std::string doing = fmt::format("{} of {} props", m_propsDone, m_props.size());
      if (!what.empty()) doing += ", " + what;
      m_isTellingOfProps = true;
      m_request.atWork({{}, std::move(doing), static_cast<float>(m_propsDone) / static_cast<float>(m_props.size())});
    });
  }

  /// That of a node, which tells how far it is.
  Task taskOf(const Node& node) {
    Task task{m_request.task.stop, {}};
    if (!m_request.atWork) return task;
    const auto at = std::make_shared<AtWork>(AtWork{node.uid, {}, 0});
    task.progress = [this, at](float share) {
      tell([&] {
        at->share = share;
        m_request.atWork(*at);
      });
    };
    task.doing = [this, at](const std::string& what) {
      tell([&] {
        at->doing = what;
        m_request.atWork(*at);
      });
    };
    return task;
  }

  void propsAreThere() {
    for (const LoadedProp& loaded : m_props)
      if (loaded.prop) m_propList.push_back(loaded.prop);
    for (Step* step : m_dressing) release(*step);
  }

  void run(Step& step) {
    const Node& node = *step.node;
    if (isCancelled()) {
      step.report = failed(node, cancelled(), NodeState::Waiting);
    } else {
      auto report = withinBorder([&] {
        const StopScope scope(m_request.task.stop);
        NodeReport made = compute(step);
        step.delivered = deliveredBy(step);
        if (isThinnedAt(step)) {
          made.passed.front() = countOf(step.delivered.front());
          made.isDraft = true;
        }
        return made;
      });
      step.report = report          ? std::move(*report)
                    : isCancelled() ? failed(node, cancelled(), NodeState::Waiting)
                                    : failed(node, report.error());
    }
    tell([&] {
      if (m_request.ended && !isCancelled()) m_request.ended(node.uid, step.report, step.delivered);
      m_request.task.report(static_cast<float>(++m_stepsDone) /
                            static_cast<float>(std::max<std::size_t>(1, m_order.size())));
    });
  }

  template <typename Say>
  void tell(Say&& say) {
    const std::lock_guard lock(m_tellMutex);
    say();
  }

  /// Works out what stands at the inputs and adds it to the key; a report when that ends here.
  std::optional<NodeReport> gatherInputs(const Step& step, Inputs& inputs, KeyBuilder& key) {
    const Node& node = *step.node;
    for (const InputSpec& spec : step.kind->inputs) {
      key.addText(spec.id);
      const auto it = node.inputs.find(spec.id);
      if (it == node.inputs.end()) continue;
      for (const Link& link : it->second) {
        key.addText(link.slot);
        Inputs::Link& place = inputs.links[spec.id].emplace_back();
        place.slotUid = hashText(link.slot);
        if (link.isEmpty()) continue;
        const auto found = m_steps.find(link.node);
        if (found == m_steps.end())
          return failed(node, problem(ProblemCode::MissingInput,
                                      fmt::format("{} comes from a node that is not there ({})", spec.label, link.node),
                                      "Connect it anew, or take the link out"));
        const Step& before = found->second;
        const std::string& title = before.node->title;
        if (before.report.state == NodeState::Failed || before.report.state == NodeState::Waiting)
          return failed(node, problem(ProblemCode::Waiting, fmt::format("waiting for {}", title)), NodeState::Waiting);
        const int output = before.kind ? before.kind->outputIndex(link.output) : -1;
        if (output < 0)
          return failed(node,
                        problem(ProblemCode::WrongInput, fmt::format("{} has no output \"{}\"", title, link.output)));
        const Value& value = before.values[static_cast<std::size_t>(output)];
        if (const auto type = typeOf(value); type && !spec.takes(*type))
          return failed(node, problem(ProblemCode::WrongInput,
                                      fmt::format("{} gets something of another type from {}", spec.label, title)));
        if (std::holds_alternative<std::monostate>(value)) continue;  // a skipped source with nothing to pass on
        place.value = value;
        KeyBuilder source{before.key};
        source.addText(link.output);
        place.key = source.lanes;
        key.add(place.key);
      }
    }
    return {};
  }

  /// Adds what the node's parameters, seeds, files and props are; a report when that ends here.
  std::optional<NodeReport> addSettings(const Step& step, KeyBuilder& key) {
    const Node& node = *step.node;
    for (const ParamSpec& spec : step.kind->params) {
      if (spec.isOfTool) continue;
      const ParamValue& value = node.value(spec);
      key.addText(spec.id);
      key.addValue(value);
      if (spec.type != ParamType::File) continue;
      const std::string& path = std::get<std::string>(value);
      if (path.empty() && spec.isOptional) continue;
      if (path.empty())
        return failed(node, problem(ProblemCode::FileMissing, fmt::format("{}: no file chosen", spec.label),
                                    "Choose a file on the Bench"));
      const auto content = m_files.contentKey(path);
      if (!content) return failed(node, content.error());
      key.add(*content);
    }
    if (step.kind->usesSeed) {
      key.add(node.isSeedLocked ? std::uint64_t{0} : m_plan.settings.seed);
      key.add(node.seed);
    }
    if (step.kind->usesTime && step.kind->usesTime(node.params)) {
      const Moment now = momentOf(m_plan);
      for (const double v : {now.frame, now.seconds, now.rate, now.isOfTime ? 1.0 : 0.0}) key.add(v);
    }
    if (const auto memory = m_memories.find(node.uid); memory != m_memories.end()) {
      if (memory->second.fault) return failed(node, *memory->second.fault);
      key.addText("remembers");
      key.add(memory->second.beforeKey);
      key.add(memory->second.sinceBefore);
    }
    if (isThinned(node)) {  // all others are the same in every quality, and made once for both
      key.addText("draft");
      key.add(static_cast<double>(m_share));
    }
    if (step.kind->usesProp)
      for (std::size_t i = 0; i < m_props.size(); ++i)
        if (step.kind->usesProp(node.params, m_plan.props[i])) key.add(m_props[i].key);
    return {};
  }

  NodeReport compute(Step& step) {
    const Node& node = *step.node;
    if (!step.kind) return failed(node, unknownKind(node));
    if (node.version > step.kind->version)
      return failed(
          node, problem(ProblemCode::UnknownKind, fmt::format("was made by a newer version of {}", step.kind->label),
                        "Open the plan with the version that wrote it; saving keeps the node"));
    if (step.isLooped)
      return failed(node, problem(ProblemCode::Loop, "its inputs come from itself", "Take out one of the links"));
    if (std::string fault = node.refusal(); !fault.empty())
      return failed(node, problem(ProblemCode::BadParameter, std::move(fault), "Set it on the Bench"));
    if (const auto wrong = m_dialProblems.find(node.uid); wrong != m_dialProblems.end())
      return failed(node, wrong->second);  // it says what set the value too
    for (const ParamSpec& spec : step.kind->params)
      if (std::string fault = faultOf(spec, node.value(spec)); !fault.empty())
        return failed(node, problem(ProblemCode::BadParameter, std::move(fault)));

    KeyBuilder key;
    key.addText(step.kind->id);
    key.add(static_cast<std::uint64_t>(step.kind->version));
    key.addText(node.uid);
    Inputs inputs;
    if (auto ended = gatherInputs(step, inputs, key)) return std::move(*ended);
    if (node.isSkipped) return skipped(step, inputs, key);
    for (const InputSpec& spec : step.kind->inputs)
      if (!spec.isOptional && !inputs.first(spec.id))
        return failed(node, problem(ProblemCode::MissingInput, fmt::format("{} is not connected", spec.label),
                                    fmt::format("Connect something to {}", spec.label)));
    if (auto ended = addSettings(step, key)) return std::move(*ended);
    if (auto ended = askForRoom(step, inputs)) return std::move(*ended);
    const Part part = partOf(node);
    const bool isMadeInParts = !part.isAll() && step.kind->makesParts && step.kind->makesParts(node.params);
    const bool findsOpen = step.kind->beginsWith && step.kind->beginsWith(node.params) &&
                           !knownBy(node, *step.kind).isAll();
    if (isMadeInParts || findsOpen) addPart(key, part);  // it looks at it
    step.key = key.lanes;
    if (const auto known = m_files.memory().find<CachedNode>(key.lanes)) {
      step.values = known->outputs;
      NodeReport report = known->report;
      report.isFromCache = true;
      nameTheNode(report, node);  // as it is called now
      keepMemory(step, known->after);
      cutTo(part, step, report);
      return report;
    }
    NodeReport report = computeNow(step, std::move(inputs), isMadeInParts ? part : Part{});
    cutTo(part, step, report);
    return report;
  }

  /// Where what the node gives has to be whole.
  Part partOf(const Node& node) const {
    const auto it = m_parts.find(node.uid);
    return it == m_parts.end() ? Part{} : it->second;
  }
  /// Where what comes in by the node's main input is whole; of kinds that make points, what they are to look at.
  Part knownBy(const Node& node, const NodeKind& kind) const {
    if (m_parts.empty() || kind.inputs.empty()) return {};
    if (kind.inputs.front().type != ValueType::Points) {
      const auto begins = kind.beginsWith ? kind.beginsWith(node.params) : std::nullopt;
      const auto wider = m_wider.find(node.uid);
      if (!begins) return {};
      return partOf(node).grown(*begins + (wider == m_wider.end() ? 0 : wider->second), Part::kAll);
    }
    return whereAllIsKnown(node, kind);
  }
  /// Where all points and masks that come in are right.
  Part whereAllIsKnown(const Node& node, const NodeKind& kind) const {
    Part known;
    for (const auto& [id, links] : node.inputs) {
      const InputSpec* input = kind.findInput(id);
      if (!input || !(input->takes(ValueType::Points) || input->takes(ValueType::Mask))) continue;
      for (const Link& link : links)
        if (const Node* source = m_index.find(link.node)) {
          const Part there = partOf(*source);
          known = {glm::max(known.min, there.min), glm::min(known.max, there.max)};
        }
    }
    return known;
  }
  /// How far a kind looks for the room of others hangs on the largest that comes in, which these alone know.
  std::optional<NodeReport> askForRoom(const Step& step, const Inputs& inputs) {
    const Node& node = *step.node;
    if (m_parts.empty() || whereAllIsKnown(node, *step.kind).isAll()) return {};
    const double needed = roomNeeded(*step.kind, node.params, inputs);
    const auto have = m_wider.find(node.uid);
    if (needed <= (have == m_wider.end() ? 0 : have->second)) return {};
    tell([&] {
      m_asked[node.uid] = needed;
      m_rooms[node.uid] = needed;
    });
    return waitingForMore(node);
  }
  NodeReport waitingForMore(const Node& node) {
    return failed(node, problem(ProblemCode::Waiting, "waiting for more of its surroundings"), NodeState::Waiting);
  }
  static void addPart(KeyBuilder& key, const Part& part) {
    key.addText("part");
    for (const Vec3& side : {part.min, part.max})
      for (int axis = 0; axis < 3; ++axis) key.add(static_cast<double>(side[axis]));
  }

  /// Points beyond the node's part may be wrong, as what they depend on was not looked at: nobody sees them. So what a
  /// node gives in a part is that of the whole, however it was worked out.
  void cutTo(const Part& part, Step& step, NodeReport& report) {
    if (m_request.part.isAll() || report.state != NodeState::Done) return;
    report.worked = part;
    if (part.isAll()) return;
    KeyBuilder key{step.key};
    addPart(key, part);
    if (const auto known = m_files.memory().find<CachedNode>(key.lanes)) {
      step.values = known->outputs;
    } else {
      auto made = std::make_shared<CachedNode>();
      for (const Value& value : step.values) {
        const auto* points = std::get_if<PointsPtr>(&value);
        made->outputs.push_back(points ? Value(pointsIn(part, *points)) : value);
      }
      step.values = made->outputs;
      m_files.memory().store(key.lanes, std::move(made));
    }
    if (std::any_of(step.values.begin(), step.values.end(),
                    [](const Value& value) { return std::holds_alternative<PointsPtr>(value); }))
      step.key = key.lanes;
    for (std::size_t i = 0; i < step.values.size(); ++i) report.passed[i] = countOf(step.values[i]);
  }

  /// For the next frame; those between two leave none.
  void keepMemory(const Step& step, const MemoryPtr& after) {
    const Node& node = *step.node;
    const auto memory = m_memories.find(node.uid);
    const double frame = momentOf(m_plan).frame;
    if (memory == m_memories.end() || frame != std::floor(frame) || !(std::abs(frame) < 1e9)) return;
    m_files.memory().store(memoryKey(memory->second.history, node.uid, static_cast<int>(frame)),
                           std::make_shared<KeptMemory>(after, step.key));
    const std::lock_guard lock(m_draftMutex);
    m_left[node.uid] = {after, step.key};
  }

  NodeReport skipped(Step& step, const Inputs& inputs, KeyBuilder key) {
    const NodeKind& kind = *step.kind;
    key.addText("skipped");
    step.key = key.lanes;
    NodeReport report;
    report.state = NodeState::Skipped;
    Outputs outputs(kind.outputs.size());
    report.passed.assign(kind.outputs.size(), 0);
    if (passesMain(kind))
      if (const Value* main = inputs.first(kind.inputs.front().id)) {
        outputs.front() = *main;
        report.given = report.passed.front() = countOf(*main);
      }
    if (!outputs.empty() && std::holds_alternative<std::monostate>(outputs.front()))
      report.problems.push_back(
          {ProblemCode::MissingInput, Severity::Note, step.node->title, "skipped, and has nothing to pass on", {}});
    step.values = std::move(outputs);
    return report;
  }

  PointsPtr thinned(const PointsPtr& points) {
    const std::lock_guard lock(m_draftMutex);
    PointsPtr& draft = m_drafts[points.get()];
    if (!draft) draft = draftOf(points, m_share);
    return draft;
  }

  /// In a draft, what comes in point by point is thinned before it is worked on.
  void thinInputs(const NodeKind& kind, Inputs& inputs) {
    for (const InputSpec& spec : kind.inputs) {
      const auto it = inputs.links.find(spec.id);
      if (!spec.isPerPoint || it == inputs.links.end()) continue;
      for (Inputs::Link& link : it->second)
        if (auto* points = std::get_if<PointsPtr>(&link.value)) *points = thinned(*points);
    }
  }

  /// What a hand keeps is taken away by no filter.
  static void keepByHand(const NodeKind& kind, const Task& task, Outputs& outputs) {
    const int left = kind.leftOutIndex();
    auto* staying = left < 0 ? nullptr : std::get_if<PointsPtr>(&outputs.front());
    auto* leftOut = left < 0 ? nullptr : std::get_if<PointsPtr>(&outputs[static_cast<std::size_t>(left)]);
    if (staying && leftOut && *staying && *leftOut) keepWhatIsKept(task, *staying, *leftOut);
  }

  NodeReport computeNow(Step& step, Inputs inputs, const Part& part) {
    const Node& node = *step.node;
    const NodeKind& kind = *step.kind;
    if (m_request.started) tell([&] { m_request.started(node.uid); });
    NodeReport report;
    std::optional<Histogram> histogram;
    std::size_t candidateCount = 0;
    EvalContext ctx = contextOf(m_plan, node);
    ctx.task = taskOf(node);
    ctx.limits = m_request.limits;
    ctx.files = &m_files;
    ctx.props = kind.usesProp ? &m_propList : nullptr;  // what is not in the key is not to be seen
    ctx.warnings = &report.problems;
    ctx.histogram = &histogram;
    ctx.candidates = &candidateCount;
    ctx.said = &report.said;
    MemoryPtr after;
    ctx.after = &after;
    double wider = 0;
    ctx.part = part;
    ctx.wanted = partOf(node);
    ctx.known = knownBy(node, kind);
    ctx.wider = &wider;
    if (const auto memory = m_memories.find(node.uid); memory != m_memories.end()) {
      ctx.before = memory->second.before;
      ctx.sinceBefore = memory->second.sinceBefore;
    }

    const Clock::time_point start = Clock::now();
    // The border: whatever a library throws becomes a message on the node.
    Result<Outputs> outputs = withinBorder([&]() -> Result<Outputs> {
      if (isThinned(node)) {
        ctx.draftShare = m_share;
        if (!kind.takesAll(node.params)) thinInputs(kind, inputs);
      }
      auto made = evaluateRiding(kind, ctx, inputs, node.params);
      if (made) keepByHand(kind, ctx.task, *made);
      return made;
    });
    report.milliseconds = millisecondsSince(start);
    if (isCancelled()) return failed(node, cancelled(), NodeState::Waiting);
    if (!outputs) return failed(node, outputs.error());
    if (wider > 0 && !ctx.known.isAll()) {
      tell([&] { m_asked[node.uid] = wider; });
      return waitingForMore(node);
    }
    ARVESK_ASSERT(outputs->size() == kind.outputs.size(), "one value per declared output");
    for (const Value& value : *outputs)
      if (const auto* mask = std::get_if<MaskPtr>(&value); mask && *mask && (*mask)->depth() > kDeepestMask)
        return failed(node, problem(ProblemCode::TooMany,
                                    fmt::format("more than {} masks lie inside of each other", kDeepestMask),
                                    "Blend several at once: a Blend takes any number of masks"));
    if (histogram) report.histogram = std::make_shared<const Histogram>(std::move(*histogram));
    describe(step, inputs, candidateCount, *outputs, report);
    boundRoom(step, inputs, part.isAll(), *outputs);
    auto kept = std::make_shared<CachedNode>();
    kept->outputs = *outputs;
    kept->report = report;  // without names: a node may be called otherwise when it is found again
    kept->after = after;
    keepMemory(step, after);
    m_files.memory().store(step.key, std::move(kept));
    nameTheNode(report, node);
    step.values = std::move(*outputs);
    return report;
  }

  /// Counts and bytes of what came out; points learn whether they moved, and a draft is taken of them.
  void describe(const Step& step, const Inputs& inputs, std::size_t candidateCount, Outputs& outputs,
                NodeReport& report) {
    const NodeKind& kind = *step.kind;
    report.state = NodeState::Done;
    report.isDraft = isThinned(*step.node) && !kind.takesAll(step.node->params);
    const Value* main = kind.inputs.empty() ? nullptr : inputs.first(kind.inputs.front().id);
    warnOfMaskNames(kind, inputs, report.problems);
    ByteCounter counter;  // what it adds to what came in
    for (const auto& [id, links] : inputs.links)
      for (const Inputs::Link& link : links) countBytes(link.value, counter);
    const std::size_t before = counter.bytes();
    report.given = candidateCount > 0 ? candidateCount : (main ? countOf(*main) : 0);
    const auto* given = main ? std::get_if<PointsPtr>(main) : nullptr;
    for (Value& value : outputs) {
      report.passed.push_back(countOf(value));
      auto* points = std::get_if<PointsPtr>(&value);
      if (points && *points && given && *given) *points = withMoves(**given, *points);
      if (points && isThinned(*step.node)) *points = draftOf(*points, m_share);
      countBytes(value, counter);
    }
    report.bytes = counter.bytes() - before;
  }

  /// Points learn how much room any of the whole has at most: as their kind says, else by looking through all of them.
  void boundRoom(const Step& step, const Inputs& inputs, bool isMadeWhole, Outputs& outputs) const {
    const auto said = step.kind->most(step.node->params, inputs);
    const bool isWhole = isMadeWhole && (m_parts.empty() || whereAllIsKnown(*step.node, *step.kind).isAll());
    for (Value& value : outputs)
      if (auto* points = std::get_if<PointsPtr>(&value); points && *points)
        *points = withMost(*points, said ? *said : isWhole ? mostOf(**points) : Most{});
  }

  /// A layer that others look at is whole while they do; what it delivers is thinned like the rest.
  bool isThinnedAt(const Step& step) const {
    const auto* points = step.values.empty() ? nullptr : std::get_if<PointsPtr>(&step.values.front());
    return m_share < 1 && step.kind && step.kind->isLayer && points && *points && !isThinned(*step.node);
  }
  Outputs deliveredBy(const Step& step) {
    Outputs out = thinnedAt(step);
    if (m_request.part.isAll()) return out;
    if (partOf(*step.node) == m_request.part && !step.node->isSkipped) return out;  // cut already
    KeyBuilder key{step.key};  // kept, so that views see the same points again
    key.addText("delivered-in");
    addPart(key, m_request.part);
    key.add(static_cast<double>(m_share));
    auto known = m_files.memory().find<CachedNode>(key.lanes);
    if (!known) {
      auto made = std::make_shared<CachedNode>();
      for (const Value& value : out) {
        const auto* points = std::get_if<PointsPtr>(&value);
        made->outputs.push_back(points ? Value(pointsIn(m_request.part, *points)) : value);
      }
      m_files.memory().store(key.lanes, made);
      known = made;
    }
    return known->outputs;
  }
  Outputs thinnedAt(const Step& step) {
    if (!isThinnedAt(step)) return step.values;
    const PointsPtr points = std::get<PointsPtr>(step.values.front());
    KeyBuilder key{step.key};  // kept, so that views see the same points again
    key.addText("delivered");
    key.add(static_cast<double>(m_share));
    auto known = m_files.memory().find<CachedNode>(key.lanes);
    if (!known) {
      auto made = std::make_shared<CachedNode>();
      made->outputs.emplace_back(draftOf(points, m_share));
      m_files.memory().store(key.lanes, made);
      known = made;
    }
    return known->outputs;
  }

  Evaluation result() {
    Evaluation out;
    for (auto& [uid, step] : m_steps) {
      if (step.report.state == NodeState::Done || step.report.state == NodeState::Skipped)
        out.values[uid] = std::move(step.delivered);
      out.reports[uid] = std::move(step.report);
    }
    out.props = std::move(m_propList);
    for (std::size_t i = 0; i < m_props.size(); ++i) {
      LoadedProp& loaded = m_props[i];
      std::vector<Problem> all = std::move(loaded.warnings);
      if (loaded.problem && loaded.problem->code != ProblemCode::Cancelled)
        all.insert(all.begin(), std::move(*loaded.problem));
      if (!all.empty()) out.propProblems[m_plan.props[i].uid] = std::move(all);
    }
    out.draftShare = m_share;
    out.isCancelled = isCancelled();
    return out;
  }
};

/// What instances and ways say and give, from the nodes inside.
class Instances {
 public:
  Instances(Evaluation& evaluation, bool isOfPart)
      : m_evaluation(evaluation), m_index(evaluation.opened->plan), m_isOfPart(isOfPart) {}
  void tell() {
    for (const auto& [uid, links] : m_evaluation.opened->ways) tellWay(uid, links);
    for (const auto& [uid, instance] : m_evaluation.opened->instances) tell(uid, instance);
  }

 private:
  Evaluation& m_evaluation;
  PlanIndex m_index;
  bool m_isOfPart;

  Value valueAt(const Link& link) const {
    const Node* source = m_index.find(link.node);
    const NodeKind* kind = source ? kindOf(*source) : nullptr;
    const auto values = m_evaluation.values.find(link.node);
    const int output = kind ? kind->outputIndex(link.output) : -1;
    if (output < 0 || values == m_evaluation.values.end()) return {};
    return values->second[static_cast<std::size_t>(output)];
  }

  void tellWay(const std::string& uid, const std::vector<Link>& links) {
    if (m_evaluation.reports.contains(uid)) return;  // it says itself that nothing comes in
    NodeReport report;
    report.state = NodeState::Done;
    Value first;
    for (const Link& link : links) {
      const Value value = valueAt(link);
      report.given += countOf(value);
      if (std::holds_alternative<std::monostate>(first)) first = value;
      const auto before = m_evaluation.reports.find(link.node);
      if (before == m_evaluation.reports.end() || before->second.state == NodeState::Done) continue;
      if (before->second.state == NodeState::Skipped) continue;
      report.state = NodeState::Waiting;
      const Node* source = m_index.find(link.node);
      report.problems = {problem(ProblemCode::Waiting, fmt::format("waiting for {}", source ? source->title : ""))};
    }
    report.passed = {report.given};
    m_evaluation.values[uid] = {first};
    m_evaluation.reports[uid] = std::move(report);
  }

  void tellChecks(const OpenedInstance& instance, NodeReport& report) const {
    if (instance.checks.empty() || !isWhole(instance)) return;
    if (m_isOfPart && !instance.checkedWays.empty()) return;  // they are meant of all that comes out
    std::map<std::string, WayFacts> facts;
    for (const auto& [name, way] : instance.checkedWays) {
      WayFacts& f = facts[name];
      for (const Link& link : m_evaluation.opened->ways.at(way)) {
        const Value value = valueAt(link);
        f.count += countOf(value);
        if (const auto* surface = std::get_if<SurfacePtr>(&value); surface && *surface)
          f.bounds.add((*surface)->bounds());
        if (const auto* volume = std::get_if<VolumePtr>(&value); volume && *volume) f.bounds.add((*volume)->bounds());
        if (const auto* points = std::get_if<PointsPtr>(&value); points && *points)
          for (std::size_t i = 0; i < (*points)->count; ++i) f.bounds.add((*points)->position[i]);
      }
    }
    for (Problem& p : brokenChecks(instance.checks, instance.fronts, facts)) report.problems.push_back(std::move(p));
  }
  bool isWhole(const OpenedInstance& instance) const {
    return std::all_of(instance.nodes.begin(), instance.nodes.end(),
                       [&](const std::string& uid) { return m_evaluation.reports.contains(uid); });
  }

  void tell(const std::string& uid, const OpenedInstance& instance) {
    NodeReport report;
    report.state = NodeState::Done;
    report.isFromCache = true;
    const Problem* failure = nullptr;
    const Problem* waiting = nullptr;
    for (const std::string& inner : instance.nodes) {
      const auto it = m_evaluation.reports.find(inner);
      if (it == m_evaluation.reports.end()) continue;  // not wanted
      const NodeReport& r = it->second;
      report.milliseconds += r.milliseconds;
      report.bytes += r.bytes;
      report.isDraft = report.isDraft || r.isDraft;
      report.isFromCache = report.isFromCache && r.isFromCache;
      if (r.state == NodeState::Failed && !failure) failure = &r.problems.front();
      if (r.state == NodeState::Waiting && !waiting) waiting = &r.problems.front();
      if (r.state == NodeState::Done)
        report.problems.insert(report.problems.end(), r.problems.begin(), r.problems.end());
    }
    if (const Problem* what = failure ? failure : waiting) {
      report.state = failure ? NodeState::Failed : NodeState::Waiting;
      report.problems.insert(report.problems.begin(), *what);
    } else {
      tellChecks(instance, report);
    }
    if (const Value main = valueAt(instance.main); typeOf(main) == ValueType::Points) report.given = countOf(main);
    Outputs outputs;
    for (const Link& link : instance.outputs) {
      outputs.push_back(valueAt(link));
      report.passed.push_back(countOf(outputs.back()));
    }
    if (report.state == NodeState::Done) m_evaluation.values[uid] = std::move(outputs);
    m_evaluation.reports[uid] = std::move(report);
  }
};

const Value* valueAt(const Plan& plan, const Evaluation& evaluation, const Link& link) {
  const Node* source = plan.find(link.node);
  const NodeKind* kind = source ? kindOf(*source) : nullptr;
  const auto values = evaluation.values.find(link.node);
  const int output = kind ? kind->outputIndex(link.output) : -1;
  if (output < 0 || values == evaluation.values.end()) return nullptr;
  return &values->second[static_cast<std::size_t>(output)];
}

}  // namespace

Inputs inputsOf(const Plan& plan, const Evaluation& evaluation, const Node& node) {
  Inputs inputs;
  const NodeKind* kind = kindOf(node);
  if (!kind) return inputs;
  for (const InputSpec& spec : kind->inputs) {
    const auto it = node.inputs.find(spec.id);
    if (it == node.inputs.end()) continue;
    for (const Link& link : it->second) {
      const Value* value = valueAt(plan, evaluation, link);
      inputs.links[spec.id].push_back({value ? *value : Value{}, hashText(link.slot)});
    }
  }
  return inputs;
}

EvalContext contextOf(const Plan& plan, const Node& node) {
  EvalContext ctx;
  ctx.planSeed = node.isSeedLocked ? 0 : plan.settings.seed;
  ctx.nodeSeed = node.seed;
  ctx.nodeUid = hashText(node.uid);
  ctx.now = momentOf(plan);
  return ctx;
}

namespace {

/// Nodes that remember among those that `request` wants, in the order in which they are worked out, and the nodes or
/// instances of the document that they lie in.
std::vector<std::pair<const Node*, std::string>> remembering(const OpenedPlan& opened, const EvalRequest& request) {
  std::vector<std::pair<const Node*, std::string>> out;
  const PlanIndex index(opened.plan);
  PlanOrder order(index);
  for (const Node& node : opened.plan.nodes)
    if (request.wanted.empty()) order.add(node);
  for (const std::string& uid : request.wanted)
    if (const Node* node = index.find(uid)) order.add(*node);
  for (const Node* node : order.nodes()) {
    const NodeKind* kind = kindOf(*node);
    if (!kind || !kind->remembers || node->isSkipped || order.isLooped(*node)) continue;
    // What sets a parameter over time may make it remember at another frame.
    if (node->keys.empty() && node->follows.empty() && !kind->remembers(node->params)) continue;
    std::string in = node->uid;
    for (const LiesIn* lies = &node->liesIn; !lies->instance.empty(); lies = &opened.instances.at(in).liesIn)
      in = lies->instance;
    out.emplace_back(node, in);
  }
  return out;
}

/// What those nodes know at the plan's frame. Frames that are missing are worked out, from the last one that is known.
class Remembering {
 public:
  Remembering(FileService& files, const Plan& plan, const OpenedPlan& opened, const EvalRequest& request)
      : m_files(files), m_plan(plan), m_request(request) {
    if (!plan.settings.time) return;
    std::map<std::string, ResultKey> histories;
    for (const auto& [node, in] : remembering(opened, request)) {
      const auto [known, isNew] = histories.try_emplace(in);
      if (isNew) known->second = historyOf(plan, in, request.quality, files);
      m_uids.push_back(node->uid);
      m_memories[node->uid].history = known->second;
    }
  }

  Memories memories() {
    const double frame = momentOf(m_plan).frame;
    const int first = m_plan.settings.time ? m_plan.settings.time->first : 0;
    if (m_uids.empty() || frame <= first) return m_memories;
    if (!(frame - first <= kMostFrames)) {
      for (auto& [uid, memory] : m_memories)
        memory.fault = problem(ProblemCode::TooMany,
                               fmt::format("frame {:g} is more than {:g} after the first one", frame, kMostFrames),
                               "Choose a frame within the plan's time");
      return m_memories;
    }
    const int last = static_cast<int>(std::ceil(frame)) - 1;
    int from = last;  // the first that is missing comes after the last at which all of them are known
    while (from >= first && !isKnown(from)) --from;
    for (int at = from + 1; at <= last; ++at) {
      if (m_request.task.isCancelled()) return m_memories;
      if (m_request.atWork)
        m_request.atWork({m_uids.back(),
                          fmt::format("frame {} of {} before this one", at - first + 1, last - first + 1),
                          static_cast<float>(at - first) / static_cast<float>(last - first + 1)});
      workOut(at);
    }
    for (auto& [uid, memory] : m_memories) memory.sinceBefore = (frame - last) / m_plan.settings.time->rate;
    return m_memories;
  }

 private:
  static constexpr double kMostFrames = 1e6;

  FileService& m_files;
  const Plan& m_plan;
  const EvalRequest& m_request;
  std::vector<std::string> m_uids;
  Memories m_memories;

  /// Takes up the memories of that frame, when all of them are there.
  bool isKnown(int frame) {
    std::map<std::string, std::shared_ptr<const KeptMemory>> found;
    for (const std::string& uid : m_uids) {
      const auto kept = m_files.memory().find<KeptMemory>(memoryKey(m_memories.at(uid).history, uid, frame));
      if (!kept) return false;
      found[uid] = kept;
    }
    for (const auto& [uid, kept] : found) {
      m_memories[uid].before = kept->memory;
      m_memories[uid].beforeKey = kept->key;
    }
    return true;
  }
  void workOut(int frame) {
    Plan at = m_plan;
    at.frame = frame;
    EvalRequest request;
    request.quality = m_request.quality;
    request.wanted = m_uids;
    request.limits = m_request.limits;
    request.task.stop = m_request.task.stop;
    for (auto& [uid, memory] : m_memories) memory.sinceBefore = 1 / m_plan.settings.time->rate;
    const OpenedPlan opened = openPlan(at, request.quality);
    Run run(m_files, opened.plan, request, m_memories);
    const Evaluation made = run.evaluate();
    if (made.isCancelled) return;
    std::vector<std::string> going;
    for (const std::string& uid : m_uids) {
      if (const auto left = run.left().find(uid); left != run.left().end()) {
        m_memories[uid].before = left->second.first;
        m_memories[uid].beforeKey = left->second.second;
        going.push_back(uid);
        continue;
      }
      const auto report = made.reports.find(uid);
      Problem fault = report != made.reports.end() && !report->second.problems.empty()
                          ? report->second.problems.front()
                          : problem(ProblemCode::Waiting, "it was not worked out");
      fault.message = fmt::format("at frame {}: {}", frame, fault.message);
      m_memories[uid].fault = std::move(fault);
    }
    m_uids = std::move(going);
  }
};

}  // namespace

Evaluation Evaluator::evaluate(const Plan& plan, const EvalRequest& request) {
  setFloatingPointMode();
  const Clock::time_point start = Clock::now();
  m_files->memory().setLimit(request.limits.cacheBytes);
  const auto opened = std::make_shared<const OpenedPlan>(openPlan(plan, request.quality));
  EvalRequest inside = request;
  inside.wanted.clear();
  for (const std::string& uid : request.wanted) {
    const auto instance = opened->instances.find(uid);
    if (instance == opened->instances.end())
      inside.wanted.push_back(uid);
    else
      for (const Link& link : instance->second.outputs) inside.wanted.push_back(link.node);
  }
  const Memories memories = Remembering(*m_files, plan, *opened, inside).memories();
  Evaluation evaluation;
  std::map<std::string, double> wider = request.rooms;  // what nodes need around the part, as far as it was found
  std::map<std::string, double> rooms = request.rooms;
  for (bool isOpen = true; isOpen;) {
    Run run(*m_files, opened->plan, inside, memories, wider);
    evaluation = run.evaluate();
    isOpen = !run.asked().empty() && !evaluation.isCancelled;
    for (const auto& [uid, meters] : run.rooms()) rooms[uid] = meters;
    for (const auto& [uid, meters] : run.asked()) {
      // Each time more than before, so that it ends; far more than any chain that was ever measured is everything.
      double& known = wider[uid];
      known = std::max(known + meters, 2 * known);
      if (known > kWidest) known = std::numeric_limits<double>::infinity();
    }
  }
  evaluation.rooms = std::move(rooms);
  evaluation.wider = std::move(wider);
  evaluation.opened = opened;
  m_files->memory().trim();
  if (!evaluation.isCancelled) {
    for (auto& [uid, note] : orderNotes(opened->plan, evaluation))
      evaluation.reports[uid].problems.push_back(std::move(note));
    Instances(evaluation, !request.part.isAll()).tell();
  }
  evaluation.milliseconds = millisecondsSince(start);
  return evaluation;
}

}  // namespace arvesk
