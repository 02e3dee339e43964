#include "core/plan/evaluator.h"

#include "core/plan/dials.h"
#include "core/plan/prop_making.h"

#include <fmt/format.h>

#include <chrono>
#include <cstring>

namespace arvesk {
namespace {

using Clock = std::chrono::steady_clock;

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

}  // namespace

Inputs inputsOf(const Plan& plan, const Evaluation& evaluation, const Node& node) {
  Inputs inputs;
  const NodeKind* kind = findNodeKind(node.kind);
  if (!kind) return inputs;
  for (const InputSpec& spec : kind->inputs) {
    const auto it = node.inputs.find(spec.id);
    if (it == node.inputs.end()) continue;
    for (const Link& link : it->second) {
      const Node* source = plan.find(link.node);
      const NodeKind* sourceKind = source ? findNodeKind(source->kind) : nullptr;
      const auto values = evaluation.values.find(link.node);
      const int output = sourceKind ? sourceKind->outputIndex(link.output) : -1;
      if (output < 0 || values == evaluation.values.end()) continue;
      const Value& value = values->second[static_cast<std::size_t>(output)];
      if (!std::holds_alternative<std::monostate>(value)) inputs.links[spec.id].push_back({value, hashText(link.slot)});
    }
  }
  return inputs;
}

EvalContext contextOf(const Plan& plan, const Node& node, Quality quality) {
  EvalContext ctx;
  ctx.planSeed = node.isSeedLocked ? 0 : plan.settings.seed;
  ctx.nodeSeed = node.seed;
  ctx.nodeUid = hashText(node.uid);
  ctx.quality = quality;
  ctx.draftShare = quality == Quality::Draft ? static_cast<float>(plan.settings.draftShare) : 1.0F;
  return ctx;
}

namespace {

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

}  // namespace

struct Evaluator::Run {
  Evaluator& owner;
  const Plan& plan;
  const EvalRequest& request;
  std::map<std::string, Problem> dialProblems;
  Evaluation result;
  std::map<std::string, Key> keys;
  std::set<std::string> open;  // on the way back from here; guards against loops
  std::uint64_t propsKey = 0;
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
    for (const InputSpec& spec : kind->inputs) {
      key.addText(spec.id);
      const auto it = node.inputs.find(spec.id);
      if (it != node.inputs.end()) {
        for (const Link& link : it->second) {
          const Node* source = plan.find(link.node);
          if (!source) continue;
          const NodeReport& before = need(*source);
          if (request.task.isCancelled()) return failed(node, cancelled(), NodeState::Waiting);
          if (before.state == NodeState::Failed || before.state == NodeState::Waiting)
            return failed(node, problem(ProblemCode::Waiting, fmt::format("waiting for {}", source->title)),
                          NodeState::Waiting);
          const NodeKind* sourceKind = findNodeKind(source->kind);
          const int output = sourceKind ? sourceKind->outputIndex(link.output) : -1;
          if (output < 0)
            return failed(node, problem(ProblemCode::WrongInput,
                                        fmt::format("{} has no output \"{}\"", source->title, link.output)));
          const Value& value = result.values[source->uid][static_cast<std::size_t>(output)];
          if (const auto type = typeOf(value); type && !spec.takes(*type))
            return failed(node,
                          problem(ProblemCode::WrongInput,
                                  fmt::format("{} gets something of another type from {}", spec.label, source->title)));
          if (std::holds_alternative<std::monostate>(value)) continue;  // a skipped source with nothing to pass on
          const Key& sourceKey = keys[source->uid];
          key.add(sourceKey[0]);
          key.add(sourceKey[1]);
          key.addText(link.output);
          key.addText(link.slot);
        }
      }
    }
    const Inputs inputs = inputsOf(plan, result, node);
    if (node.isSkipped) return skipped(node, *kind, inputs, key);
    for (const InputSpec& spec : kind->inputs)
      if (!spec.isOptional && inputs.many(spec.id).empty())
        return failed(node, problem(ProblemCode::MissingInput, fmt::format("{} is not connected", spec.label),
                                    fmt::format("Connect something to {}", spec.label)));

    for (const ParamSpec& spec : kind->params) {
      const ParamValue& value = node.value(spec);
      key.addText(spec.id);
      key.addValue(value);
      if (spec.type == ParamType::File) {
        const std::string& path = std::get<std::string>(value);
        if (path.empty() && spec.isOptional) continue;
        if (path.empty())
          return failed(node, problem(ProblemCode::FileMissing, fmt::format("{}: no file chosen", spec.label),
                                      "Choose a file on the Bench"));
        const auto content = owner.m_files->contentKey(path);
        if (!content) return failed(node, content.error());
        key.add(*content);
      }
    }
    if (kind->usesSeed) {
      key.add(node.isSeedLocked ? std::uint64_t{0} : plan.settings.seed);
      key.add(node.seed);
    }
    const bool isDraft = request.quality == Quality::Draft;
    key.add(static_cast<std::uint64_t>(isDraft));
    if (isDraft) key.add(plan.settings.draftShare);
    if (kind->readsProps) key.add(propsKey);
    keys[node.uid] = key.lanes;

    if (const auto it = owner.m_cache.find(key.lanes); it != owner.m_cache.end()) {
      owner.m_uses.splice(owner.m_uses.begin(), owner.m_uses, it->second.use);
      result.values[node.uid] = it->second.outputs;
      NodeReport report = it->second.report;
      report.isFromCache = true;
      return report;
    }
    return computeNow(node, *kind, inputs, key.lanes);
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

  NodeReport computeNow(const Node& node, const NodeKind& kind, const Inputs& inputs, const Key& key) {
    if (request.started) request.started(node.uid);
    NodeReport report;
    std::optional<Histogram> histogram;
    EvalContext ctx = contextOf(plan, node, request.quality);
    ctx.task = {request.task.stop, {}};
    ctx.limits = request.limits;
    ctx.files = owner.m_files.get();
    ctx.props = &owner.m_props;
    ctx.warnings = &report.problems;
    ctx.histogram = &histogram;
    std::size_t candidateCount = 0;
    ctx.candidates = &candidateCount;

    const Clock::time_point start = Clock::now();
    Result<Outputs> outputs = Failure(cancelled());
    try {  // the border: whatever a library throws becomes a message on the node
      outputs = kind.evaluate(ctx, inputs, node.params);
    } catch (const std::bad_alloc&) {
      outputs = fail(ProblemCode::TooMany, "not enough memory", "Lower the density or close other programs");
    } catch (const std::exception& e) {
      outputs = fail(ProblemCode::Internal, fmt::format("stopped by an error inside: {}", e.what()));
    }
    report.milliseconds = millisecondsSince(start);
    if (request.task.isCancelled()) return failed(node, cancelled(), NodeState::Waiting);
    if (!outputs) return failed(node, outputs.error());
    ARVESK_ASSERT(outputs->size() == kind.outputs.size(), "one value per declared output");
    report.state = NodeState::Done;
    for (Problem& p : report.problems)
      if (p.where.empty()) p.where = node.title;
    const Value* main = kind.inputs.empty() ? nullptr : inputs.first(kind.inputs.front().id);
    report.given = candidateCount > 0 ? candidateCount : (main ? countOf(*main) : 0);
    for (const Value& value : *outputs) {
      report.passed.push_back(countOf(value));
      report.bytes += bytesOf(value);
    }
    if (histogram) report.histogram = std::make_shared<const Histogram>(std::move(*histogram));
    owner.store(key, *outputs, report, request.limits.cacheBytes);
    result.values[node.uid] = std::move(*outputs);
    return report;
  }

  void loadProps() {
    KeyBuilder key;
    owner.m_props.clear();
    for (const PropEntry& entry : plan.props) {
      if (request.task.isCancelled()) return;
      const auto content = owner.m_files->contentKey(entry.file);
      KeyBuilder own;
      own.add(content ? *content : std::uint64_t{0});
      addProp(own, entry);
      key.add(own.lanes[0]);
      if (!content) {
        result.propProblems.push_back(content.error());
        continue;
      }
      auto& [loadedKey, prop] = owner.m_loadedProps[entry.uid];
      if (!prop || loadedKey != own.lanes[0]) {
        std::vector<Problem> warnings;
        auto surface = owner.m_files->surface(entry.file, request.task, warnings);
        if (!surface) {
          result.propProblems.push_back(surface.error());
          continue;
        }
        auto made = makePlanProp(entry, **surface);
        if (!made) {
          result.propProblems.push_back(made.error());
          continue;
        }
        prop = *made;
        loadedKey = own.lanes[0];
      }
      owner.m_props.push_back(prop);
    }
    propsKey = key.lanes[0];
  }
};

void Evaluator::store(const Key& key, const Outputs& outputs, const NodeReport& report, std::size_t limit) {
  m_uses.push_front(key);
  m_cache[key] = {outputs, report, report.bytes, m_uses.begin()};
  m_cacheBytes += report.bytes;
  while (m_cacheBytes > limit && m_uses.size() > 1) {
    const auto last = m_cache.find(m_uses.back());
    m_cacheBytes -= last->second.bytes;
    m_cache.erase(last);
    m_uses.pop_back();
  }
}

Evaluation Evaluator::evaluate(const Plan& plan, const EvalRequest& request) {
  setFloatingPointMode();
  const Clock::time_point start = Clock::now();
  Plan now = plan;
  Run run{*this, now, request, followDials(now, request.quality), {}, {}, {}, 0, 0};
  run.loadProps();
  const auto want = [&](const Node& node) {
    if (!request.task.isCancelled()) run.need(node);
  };
  if (request.wanted.empty())
    for (const Node& node : now.nodes) want(node);
  for (const std::string& uid : request.wanted)
    if (const Node* node = now.find(uid)) want(*node);
  run.result.isCancelled = request.task.isCancelled();
  run.result.milliseconds = millisecondsSince(start);
  return std::move(run.result);
}

}  // namespace arvesk
