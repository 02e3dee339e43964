#include "core/plan/evaluator.h"

#include "core/base/border.h"
#include "core/plan/dials.h"
#include "core/plan/prop_making.h"
#include "core/props/quantities.h"

#include <fmt/format.h>

#include <chrono>
#include <cstring>

namespace arvesk {
namespace {

using Clock = std::chrono::steady_clock;
using Key = MemoryCache::Key;

double millisecondsSince(Clock::time_point start) {
  return std::chrono::duration<double, std::milli>(Clock::now() - start).count();
}

/// 128 bits from two differently started lanes of the same stable hash.
struct KeyBuilder {
  std::array<std::uint64_t, 2> lanes{0x243f6a8885a308d3ULL, 0x13198a2e03707344ULL};
  void add(std::uint64_t v) {
    lanes[0] = hashOf(lanes[0], v);
    lanes[1] = hashOf(lanes[1], ~v);
  }
  void addText(std::string_view text) {
    add(hashText(text));
    add(text.size());
  }
  void add(double v) {
    std::uint64_t bits = 0;
    std::memcpy(&bits, &v, sizeof v);
    add(bits);
  }
  void addValue(const ParamValue& value) {
    add(static_cast<std::uint64_t>(value.index()));
    if (const auto* b = std::get_if<bool>(&value)) add(static_cast<std::uint64_t>(*b));
    if (const auto* d = std::get_if<double>(&value)) add(*d);
    if (const auto* s = std::get_if<std::string>(&value)) addText(*s);
    if (const auto* n = std::get_if<std::vector<double>>(&value))
      for (const double d : *n) add(d);
    if (const auto* choices = std::get_if<PropChoices>(&value))
      for (const PropChoice& c : *choices) {
        addText(c.prop);
        add(c.weight);
        add(static_cast<std::uint64_t>(c.isOn));
      }
  }
};

void addProp(KeyBuilder& key, const PropEntry& e) {
  for (const std::string* text : {&e.uid, &e.name, &e.tags}) key.addText(*text);
  for (const double v : {e.unitScale, e.commonHeight, e.size, e.footprint, e.weight, e.creaseDeg}) key.add(v);
  const auto add3 = [&](const Vec3& v) {
    for (int i = 0; i < 3; ++i) key.add(static_cast<double>(v[i]));
  };
  add3(e.turnDeg);
  key.add(static_cast<std::uint64_t>(e.isZUp) + 2 * static_cast<std::uint64_t>(e.isMassingBox) +
          4 * static_cast<std::uint64_t>(e.isMassingShown) + 8 * static_cast<std::uint64_t>(e.pivot));
  key.add(static_cast<std::uint64_t>(e.massingTriangles));
  for (const MountEntry& m : e.mounts) {
    key.addText(m.name);
    add3(m.position);
    add3(m.turnDeg);
  }
}

/// A node's result in the cache.
struct CachedNode final : Cached {
  Outputs outputs;
  NodeReport report;
  void countBytes(ByteCounter& counter) const override {
    counter.add(this, sizeof(*this));
    if (report.histogram)
      counter.add(report.histogram.get(), sizeof(Histogram) + 8 * report.histogram->kept.capacity());
    for (const Value& v : outputs) arvesk::countBytes(v, counter);
  }
};

struct CachedProp final : Cached {
  PropPtr prop;
  void countBytes(ByteCounter& counter) const override { prop->countBytes(counter); }
};

const Value* valueAt(const Plan& plan, const Evaluation& evaluation, const Link& link) {
  const Node* source = plan.find(link.node);
  const NodeKind* kind = source ? findNodeKind(source->kind) : nullptr;
  const auto values = evaluation.values.find(link.node);
  const int output = kind ? kind->outputIndex(link.output) : -1;
  if (output < 0 || values == evaluation.values.end()) return nullptr;
  return &values->second[static_cast<std::size_t>(output)];
}

}  // namespace

Inputs inputsOf(const Plan& plan, const Evaluation& evaluation, const Node& node) {
  Inputs inputs;
  const NodeKind* kind = findNodeKind(node.kind);
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
  return ctx;
}

std::set<std::string> thinnableNodes(const Plan& plan) {
  // Everything is, until something that looks at others takes from it; what that takes from is whole as well.
  std::set<std::string> whole;
  std::vector<std::string> open;
  const auto makeWhole = [&](const std::string& uid) {
    if (whole.insert(uid).second) open.push_back(uid);
  };
  for (const Node& node : plan.nodes) {
    const NodeKind* kind = findNodeKind(node.kind);
    if (!kind) continue;
    const bool isAmongItsOwn = !node.isSkipped && kind->reach(node.params).isAmongItsOwn;
    for (const auto& [id, links] : node.inputs) {
      const InputSpec* spec = kind->findInput(id);
      const bool isMain = spec == &kind->inputs.front();
      if (node.isSkipped && !(isMain && passesMain(*kind))) continue;  // nobody looks there
      if (spec && spec->isPerPoint && !isAmongItsOwn) continue;
      if (node.isSkipped) continue;
      for (const Link& link : links) makeWhole(link.node);
    }
  }
  while (!open.empty()) {
    const Node* node = plan.find(open.back());
    open.pop_back();
    if (!node) continue;
    for (const auto& [id, links] : node->inputs)
      for (const Link& link : links) makeWhole(link.node);
  }
  std::set<std::string> thinnable;
  for (const Node& node : plan.nodes) {
    const NodeKind* kind = findNodeKind(node.kind);
    const bool hasPoints = kind && (std::any_of(kind->outputs.begin(), kind->outputs.end(),
                                                [](const OutputSpec& o) { return o.type == ValueType::Points; }) ||
                                    std::any_of(kind->inputs.begin(), kind->inputs.end(),
                                                [](const InputSpec& i) { return i.isPerPoint; }));
    if (hasPoints && !whole.contains(node.uid)) thinnable.insert(node.uid);
  }
  return thinnable;
}

PointsPtr draftOf(const PointsPtr& points, float share) {
  if (!points || share >= 1) return points;
  if (points->draftLevel.isConstant() && points->draftLevel.constant() == 0) return points;
  Array<std::uint32_t> kept;
  for (std::size_t i = 0; i < points->count; ++i)
    if (points->isInDraft(i, share)) kept.push_back(static_cast<std::uint32_t>(i));
  if (kept.size() == points->count) return points;
  return std::make_shared<const Points>(gathered(*points, kept));
}

struct Evaluator::Run {
  FileService& files;
  const Plan& plan;
  const EvalRequest& request;
  std::map<std::string, Problem> dialProblems;
  float share = 1;                  // of what a draft delivers; 1 in final quality
  std::set<std::string> thinnable;  // only in a draft
  Evaluation result;
  std::map<std::string, Key> keys;
  std::set<std::string> open;                 // on the way back from here; guards against loops
  std::map<std::string, Key> propKeys;        // by uid; of those that could not be read too
  std::map<const Points*, PointsPtr> drafts;  // made in this run
  std::size_t nodesDone = 0;

  const NodeReport& need(const Node& node) {
    if (const auto it = result.reports.find(node.uid); it != result.reports.end()) return it->second;
    NodeReport report;
    if (!open.insert(node.uid).second) {
      report.state = NodeState::Failed;
      report.problems.push_back(
          problem(ProblemCode::Loop, "its inputs come from itself", "Take out one of the links", node.title));
    } else {
      report = compute(node);
      open.erase(node.uid);
    }
    ++nodesDone;
    request.task.report(static_cast<float>(nodesDone) /
                        static_cast<float>(std::max<std::size_t>(1, plan.nodes.size())));
    return result.reports[node.uid] = std::move(report);
  }

  NodeReport failed(const Node& node, Problem p, NodeState state = NodeState::Failed) {
    NodeReport report;
    report.state = state;
    if (p.where.empty()) p.where = node.title;
    report.problems.push_back(std::move(p));
    return report;
  }

  bool isThinned(const std::string& uid) const { return share < 1 && thinnable.contains(uid); }

  PointsPtr thinned(const PointsPtr& points) {
    PointsPtr& draft = drafts[points.get()];
    if (!draft) draft = draftOf(points, share);
    return draft;
  }

  /// Works out what stands at the inputs and adds it to the key; a report when that ends here.
  std::optional<NodeReport> gatherInputs(const Node& node, const NodeKind& kind, KeyBuilder& key) {
    for (const InputSpec& spec : kind.inputs) {
      key.addText(spec.id);
      const auto it = node.inputs.find(spec.id);
      if (it == node.inputs.end()) continue;
      for (const Link& link : it->second) {
        key.addText(link.slot);
        const Node* source = plan.find(link.node);
        if (!source) continue;  // an empty place
        const NodeReport& before = need(*source);
        if (request.task.isCancelled()) return failed(node, cancelled(), NodeState::Waiting);
        if (before.state == NodeState::Failed || before.state == NodeState::Waiting)
          return failed(node, problem(ProblemCode::Waiting, fmt::format("waiting for {}", source->title)),
                        NodeState::Waiting);
        const Value* value = valueAt(plan, result, link);
        if (!value)
          return failed(node, problem(ProblemCode::WrongInput,
                                      fmt::format("{} has no output \"{}\"", source->title, link.output)));
        if (const auto type = typeOf(*value); type && !spec.takes(*type))
          return failed(node, problem(ProblemCode::WrongInput, fmt::format("{} gets something of another type from {}",
                                                                           spec.label, source->title)));
        if (std::holds_alternative<std::monostate>(*value)) continue;  // a skipped source with nothing to pass on
        const Key& sourceKey = keys[source->uid];
        key.add(sourceKey[0]);
        key.add(sourceKey[1]);
        key.addText(link.output);
      }
    }
    return {};
  }

  NodeReport compute(const Node& node) {
    const NodeKind* kind = findNodeKind(node.kind);
    if (!kind)
      return failed(node, problem(ProblemCode::UnknownKind, fmt::format("the kind \"{}\" is not known here", node.kind),
                                  "Open the plan with the version that wrote it; saving keeps the node"));
    for (const ParamSpec& spec : kind->params)
      if (std::string fault = faultOf(spec, node.value(spec)); !fault.empty())
        return failed(node, problem(ProblemCode::BadParameter, std::move(fault)));
    if (const auto wrong = dialProblems.find(node.uid); wrong != dialProblems.end()) return failed(node, wrong->second);

    KeyBuilder key;
    key.addText(kind->id);
    key.add(static_cast<std::uint64_t>(kind->version));
    key.addText(node.uid);
    if (auto ended = gatherInputs(node, *kind, key)) return std::move(*ended);
    Inputs inputs = inputsOf(plan, result, node);
    if (node.isSkipped) return skipped(node, *kind, inputs, key);
    for (const InputSpec& spec : kind->inputs)
      if (!spec.isOptional && !inputs.first(spec.id))
        return failed(node, problem(ProblemCode::MissingInput, fmt::format("{} is not connected", spec.label),
                                    fmt::format("Connect something to {}", spec.label)));
    for (const ParamSpec& spec : kind->params) {
      const ParamValue& value = node.value(spec);
      key.addText(spec.id);
      key.addValue(value);
      if (spec.type != ParamType::File) continue;
      const std::string& path = std::get<std::string>(value);
      if (path.empty() && spec.isOptional) continue;
      if (path.empty())
        return failed(node, problem(ProblemCode::FileMissing, fmt::format("{}: no file chosen", spec.label),
                                    "Choose a file on the Bench"));
      const auto content = files.contentKey(path);
      if (!content) return failed(node, content.error());
      key.add(*content);
    }
    if (kind->usesSeed) {
      key.add(node.isSeedLocked ? std::uint64_t{0} : plan.settings.seed);
      key.add(node.seed);
    }
    if (isThinned(node.uid)) {  // all others are the same in every quality, and made once for both
      key.addText("draft");
      key.add(static_cast<double>(share));
    }
    if (kind->usesProp)
      for (const PropEntry& entry : plan.props)
        if (kind->usesProp(node.params, entry)) {
          key.add(propKeys[entry.uid][0]);
          key.add(propKeys[entry.uid][1]);
        }
    keys[node.uid] = key.lanes;
    if (const auto known = files.memory().find<CachedNode>(key.lanes)) {
      result.values[node.uid] = known->outputs;
      NodeReport report = known->report;
      report.isFromCache = true;
      for (Problem& p : report.problems)
        if (p.where.empty()) p.where = node.title;  // as it is called now
      return report;
    }
    return computeNow(node, *kind, std::move(inputs), key.lanes);
  }

  NodeReport skipped(const Node& node, const NodeKind& kind, const Inputs& inputs, KeyBuilder key) {
    key.addText("skipped");
    keys[node.uid] = key.lanes;
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
          {ProblemCode::MissingInput, Severity::Note, node.title, "skipped, and has nothing to pass on", {}});
    result.values[node.uid] = std::move(outputs);
    return report;
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

  NodeReport computeNow(const Node& node, const NodeKind& kind, Inputs inputs, const Key& key) {
    if (request.started) request.started(node.uid);
    NodeReport report;
    std::optional<Histogram> histogram;
    EvalContext ctx = contextOf(plan, node);
    ctx.task = {request.task.stop, {}};
    ctx.limits = request.limits;
    ctx.files = &files;
    ctx.props = &result.props;
    ctx.warnings = &report.problems;
    ctx.histogram = &histogram;
    std::size_t candidateCount = 0;
    ctx.candidates = &candidateCount;

    const Clock::time_point start = Clock::now();
    // The border: whatever a library throws becomes a message on the node.
    Result<Outputs> outputs = withinBorder([&]() -> Result<Outputs> {
      if (isThinned(node.uid)) {
        ctx.draftShare = share;
        if (!kind.reach(node.params).isAmongItsOwn) thinInputs(kind, inputs);
      }
      return kind.evaluate(ctx, inputs, node.params);
    });
    report.milliseconds = millisecondsSince(start);
    if (request.task.isCancelled()) return failed(node, cancelled(), NodeState::Waiting);
    if (!outputs) return failed(node, outputs.error());
    ARVESK_ASSERT(outputs->size() == kind.outputs.size(), "one value per declared output");
    report.state = NodeState::Done;
    const Value* main = kind.inputs.empty() ? nullptr : inputs.first(kind.inputs.front().id);
    warnOfNames(kind, inputs, report);
    ByteCounter counter;  // what it adds to what came in
    for (const auto& [id, links] : inputs.links)
      for (const Inputs::Link& link : links) countBytes(link.value, counter);
    const std::size_t before = counter.bytes();
    report.given = candidateCount > 0 ? candidateCount : (main ? countOf(*main) : 0);
    const auto* given = main ? std::get_if<PointsPtr>(main) : nullptr;
    for (Value& value : *outputs) {
      report.passed.push_back(countOf(value));
      if (auto* points = std::get_if<PointsPtr>(&value); points && *points && given && *given)
        *points = withMoves(**given, *points);
      if (auto* points = std::get_if<PointsPtr>(&value); points && isThinned(node.uid))
        *points = draftOf(*points, share);
      countBytes(value, counter);
    }
    report.bytes = counter.bytes() - before;
    if (histogram) report.histogram = std::make_shared<const Histogram>(std::move(*histogram));
    auto kept = std::make_shared<CachedNode>();
    kept->outputs = *outputs;
    kept->report = report;  // without names: a node may be called otherwise when it is found again
    files.memory().store(key, std::move(kept));
    for (Problem& p : report.problems)
      if (p.where.empty()) p.where = node.title;
    result.values[node.uid] = std::move(*outputs);
    return report;
  }

  /// A layer that others look at was whole while they did; what it delivers is thinned like the rest.
  void thinLayers() {
    for (const Node& node : plan.nodes) {
      const NodeKind* kind = findNodeKind(node.kind);
      const auto values = result.values.find(node.uid);
      if (share >= 1 || !kind || !kind->isLayer || values == result.values.end() || isThinned(node.uid)) continue;
      auto* points = values->second.empty() ? nullptr : std::get_if<PointsPtr>(&values->second.front());
      if (!points || !*points) continue;
      KeyBuilder key{keys[node.uid]};  // kept, so that views see the same points again
      key.addText("delivered");
      key.add(static_cast<double>(share));
      auto known = files.memory().find<CachedNode>(key.lanes);
      if (!known) {
        auto made = std::make_shared<CachedNode>();
        made->outputs.emplace_back(draftOf(*points, share));
        files.memory().store(key.lanes, made);
        known = made;
      }
      values->second = known->outputs;
    }
  }

  /// Masks ask points for numbers and texts by name; one that they do not carry is told where the mask is used.
  static void warnOfNames(const NodeKind& kind, const Inputs& inputs, NodeReport& report) {
    const PointsPtr points = kind.inputs.empty() ? nullptr : inputs.points(kind.inputs.front().id);
    if (points && points->count == 0) return;
    const Points candidates;  // where points are made, they carry nothing yet
    const Points& asked = points ? *points : candidates;
    for (const InputSpec& spec : kind.inputs) {
      const MaskPtr mask = spec.type == ValueType::Mask && kind.family != Family::Mask ? inputs.mask(spec.id) : nullptr;
      if (!mask) continue;
      std::set<std::string> numbers;
      std::set<std::string> texts;
      mask->addNames(numbers, texts);
      const auto tell = [&](const char* sort, const std::string& name, const std::vector<std::string>& known) {
        report.problems.push_back(
            {ProblemCode::BadParameter,
             Severity::Warning,
             {},
             fmt::format("{} asks for the {} \"{}\", which {} not carry", spec.label, sort, name,
                         points ? "these points do" : "candidates do"),
             known.empty() ? fmt::format("They carry no {}", sort) : "They carry: " + listOf(known)});
      };
      for (const std::string& name : numbers)
        if (!readNumbers(asked, name, 0, 0, nullptr)) tell("number", name, numberNames(asked));
      for (const std::string& name : texts) {
        const std::vector<std::string> known = textNames(asked);
        if (std::find(known.begin(), known.end(), name) == known.end() && !(name == "prop" && asked.kit))
          tell("text", name, known);
      }
    }
  }

  void loadProps() {
    for (const PropEntry& entry : plan.props) {
      if (request.task.isCancelled()) return;
      const auto content = files.contentKey(entry.file);
      KeyBuilder key;
      key.addText("prop");
      key.add(content ? *content : std::uint64_t{0});
      addProp(key, entry);
      propKeys[entry.uid] = key.lanes;
      auto prop = loadProp(entry, content, key.lanes);
      if (prop)
        result.props.push_back(std::move(*prop));
      else
        missing(entry, std::move(prop.error()));
    }
  }

  /// Stands for a prop that could not be read, so that nothing else takes its place.
  void missing(const PropEntry& entry, Problem problem) {
    if (problem.code == ProblemCode::Cancelled) return;
    const auto prop = makeProp(entry.uid, entry.name, std::make_shared<const Surface>());
    prop->footprint = static_cast<float>(entry.footprint);
    prop->weight = static_cast<float>(entry.weight);
    prop->tags = tagsOf(entry.tags);
    prop->isMissing = true;
    result.props.push_back(prop);
    problem.where = problem.where.empty() ? entry.name : fmt::format("{} ({})", entry.name, problem.where);
    result.propProblems.push_back(std::move(problem));
  }

  Result<PropPtr> loadProp(const PropEntry& entry, const Result<std::uint64_t>& content, const Key& key) {
    if (!content) return Failure(content.error());
    if (const auto known = files.memory().find<CachedProp>(key)) return known->prop;
    return withinBorder([&]() -> Result<PropPtr> {
      std::vector<Problem> warnings;
      auto surface = files.surface(entry.file, request.task, warnings);
      if (!surface) return Failure(surface.error());
      auto made = makePlanProp(entry, **surface);
      if (!made) return Failure(made.error());
      auto kept = std::make_shared<CachedProp>();
      kept->prop = *made;
      files.memory().store(key, std::move(kept));
      return *made;
    });
  }
};

Evaluation Evaluator::evaluate(const Plan& plan, const EvalRequest& request) {
  setFloatingPointMode();
  const Clock::time_point start = Clock::now();
  Plan now = plan;
  m_files->memory().setLimit(request.limits.cacheBytes);
  Run run{*m_files, now, request, followDials(now, request.quality), 1, {}, {}, {}, {}, {}, {}, 0};
  if (request.quality == Quality::Draft) {
    run.share = static_cast<float>(plan.settings.draftShare);
    run.thinnable = thinnableNodes(now);
  }
  run.loadProps();
  const auto want = [&](const Node& node) {
    if (!request.task.isCancelled()) run.need(node);
  };
  if (request.wanted.empty())
    for (const Node& node : now.nodes) want(node);
  for (const std::string& uid : request.wanted)
    if (const Node* node = now.find(uid)) want(*node);
  run.thinLayers();
  m_files->memory().trim();
  run.result.draftShare = run.share;
  run.result.isCancelled = request.task.isCancelled();
  run.result.milliseconds = millisecondsSince(start);
  return std::move(run.result);
}

}  // namespace arvesk
