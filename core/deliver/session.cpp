#include "core/deliver/session.h"

#include "core/base/border.h"
#include "core/base/host_thread.h"
#include "core/base/pattern.h"
#include "core/formats/plan_file.h"
#include "core/plan/set_param.h"

#include <fmt/format.h>

#include <filesystem>

namespace arvesk {
namespace {

template <int N, typename T>
std::vector<float> partsOf(const Column<T>& column, std::size_t count) {
  std::vector<float> out;
  out.reserve(count * N);
  for (std::size_t i = 0; i < count; ++i) {
    const T v = column[i];
    if constexpr (N == 1)
      out.push_back(v);
    else if constexpr (N == 3)
      out.insert(out.end(), {v.x, v.y, v.z});
    else
      out.insert(out.end(), {v.x, v.y, v.z, v.w});
  }
  return out;
}

template <typename T>
std::vector<T> valuesOf(const Column<T>& column, std::size_t count) {
  std::vector<T> out;
  out.reserve(count);
  for (std::size_t i = 0; i < count; ++i) out.push_back(column[i]);
  return out;
}

PointArrays arraysOf(const Points& p) {
  PointArrays out;
  out.count = p.count;
  out.position = partsOf<3>(p.position, p.count);
  out.orientation = partsOf<4>(p.orientation, p.count);
  out.size = partsOf<3>(p.size, p.count);
  out.footprint = partsOf<1>(p.footprint, p.count);
  out.id = valuesOf(p.id, p.count);
  out.prop = valuesOf(p.prop, p.count);
  if (p.kit)
    for (const KitEntry& e : p.kit->entries) out.props.push_back(e.prop->name);
  for (const auto& [name, column] : p.attributes) {
    if (const auto* numbers = std::get_if<Column<float>>(&column)) out.numbers[name] = partsOf<1>(*numbers, p.count);
    if (const auto* vectors = std::get_if<Column<Vec3>>(&column)) out.vectors[name] = partsOf<3>(*vectors, p.count);
    if (const auto* ids = std::get_if<Column<std::uint64_t>>(&column)) out.ids[name] = valuesOf(*ids, p.count);
    if (const auto* texts = std::get_if<TextColumn>(&column))
      for (std::size_t i = 0; i < p.count; ++i) out.texts[name].push_back(texts->at(i));
  }
  return out;
}

}  // namespace

Session::Session(Session&&) noexcept = default;
Session& Session::operator=(Session&&) noexcept = default;
Session::~Session() = default;

/// The border: in threads of our own, and with a Problem for whatever is thrown.
template <typename Work>
auto Session::within(Work&& work) const {
  std::optional<decltype(withinBorder(work))> result;
  m_threads->run([&] { result.emplace(withinBorder(work)); });
  return std::move(*result);
}

Result<Session> Session::open(const std::string& path, const Settings& settings) {
  Session session;
  session.m_path = path;
  session.m_threads = std::make_unique<OwnThreads>(settings.threads);
  auto plan = session.within([&] { return loadPlan(path); });
  if (!plan) return Failure(plan.error());
  session.m_plan = std::move(*plan);
  session.m_files = std::make_shared<DiskFileService>(std::filesystem::path(path).parent_path().string(),
                                                      settings.places);
  return session;
}

Result<void> Session::set(const std::string& text) {
  return within([&] { return setParamByText(m_plan, text); });
}

Result<void> Session::evaluate(Quality quality, const Limits& limits, const Task& task, const Part& part,
                               const std::vector<std::string>& wanted) {
  EvalRequest request;
  request.quality = quality;
  request.limits = limits;
  request.task = task;
  request.part = part;
  request.wanted = wanted;
  request.rooms = m_evaluation.rooms;
  auto evaluation = evaluated(m_plan, request);
  if (!evaluation) return Failure(evaluation.error());
  m_evaluation = std::move(*evaluation);
  return {};
}

Result<Evaluation> Session::evaluated(const Plan& plan, Quality quality, const Limits& limits, const Task& task,
                                      const std::vector<std::string>& wanted) {
  EvalRequest request;
  request.quality = quality;
  request.limits = limits;
  request.task = task;
  request.wanted = wanted;
  return evaluated(plan, request);
}

Result<Evaluation> Session::evaluated(const Plan& plan, const EvalRequest& request) {
  auto evaluation = within([&] { return Evaluator(m_files).evaluate(plan, request); });
  if (evaluation && evaluation->isCancelled) return Failure(cancelled());
  return evaluation;
}

std::vector<Problem> Session::problems() const {
  std::vector<Problem> out = m_plan.origin.problems;
  if (m_evaluation.opened)
    out.insert(out.end(), m_evaluation.opened->problems.begin(), m_evaluation.opened->problems.end());
  for (const PropEntry& prop : m_plan.props)
    if (const auto it = m_evaluation.propProblems.find(prop.uid); it != m_evaluation.propProblems.end())
      out.insert(out.end(), it->second.begin(), it->second.end());
  for (const Node& node : m_plan.nodes)
    if (const auto it = m_evaluation.reports.find(node.uid); it != m_evaluation.reports.end())
      out.insert(out.end(), it->second.problems.begin(), it->second.problems.end());
  if (const std::string note = m_files->cacheNote(); !note.empty())
    out.push_back({ProblemCode::FileUnreadable, Severity::Note, {}, note, "Set ARVESK_CACHE_DIR to another folder"});
  return out;
}

Result<const Node*> Session::find(const std::string& titleOrUid) const {
  if (const Node* node = m_plan.find(titleOrUid)) return node;
  if (const Node* node = opened().find(titleOrUid)) return node;  // inside of a sub-plan
  std::vector<std::string> titles;
  const Node* found = nullptr;
  for (const Node& node : m_plan.nodes) {
    titles.push_back(node.title);
    if (node.title != titleOrUid) continue;
    if (found)
      return fail(ProblemCode::BadParameter, fmt::format("two nodes are titled \"{}\"", titleOrUid),
                  fmt::format("Use a uid: {} or {}", found->uid, node.uid));
    found = &node;
  }
  if (found) return found;
  const std::string nearest = nearestName(titleOrUid, titles);
  return fail(ProblemCode::BadParameter, fmt::format("there is no node \"{}\"", titleOrUid),
              nearest.empty() ? "Use a title as it stands on the card" : fmt::format("Is \"{}\" meant?", nearest));
}

Result<PointArrays> Session::points(const std::string& titleOrUid) const {
  const auto node = find(titleOrUid);
  if (!node) return Failure(node.error());
  const auto report = m_evaluation.reports.find((*node)->uid);
  if (report == m_evaluation.reports.end())
    return fail(ProblemCode::Waiting, "was not evaluated", "Evaluate first", (*node)->title);
  if (report->second.state == NodeState::Failed || report->second.state == NodeState::Waiting)
    return Failure(report->second.problems.front());
  const PointsPtr points = m_evaluation.firstOf<PointsPtr>((*node)->uid);
  if (!points) return fail(ProblemCode::WrongInput, "gives no points", {}, (*node)->title);
  return within([&] { return arraysOf(*points); });
}

Result<ExportReport> Session::exportTo(const std::string& path, const ExportOptions& how,
                                       const std::vector<std::string>& outputs, const Task& task) const {
  return within([&]() -> Result<ExportReport> {
    const auto layers = exportLayersOf(opened(), m_evaluation, outputs);
    if (!layers) return Failure(layers.error());
    return exportLayers(*layers, path, named(how), task);
  });
}

ExportOptions Session::named(ExportOptions how) const {
  if (!how.filesOf) how.filesOf = [files = m_files](const std::string& file) { return files->withSides(file); };
  if (how.planName.empty()) how.planName = std::filesystem::path(m_path).stem().string();
  return how;
}

Result<void> Session::addFrame(MovingLayers& frames, const std::vector<std::string>& outputs) const {
  return within([&]() -> Result<void> {
    const auto layers = exportLayersOf(opened(), m_evaluation, outputs);
    if (!layers) return Failure(layers.error());
    return frames.add(momentOf(m_plan).frame, *layers);
  });
}

Result<ExportReport> Session::exportFrames(const MovingLayers& frames, const std::string& path,
                                           const ExportOptions& how, const Task& task) const {
  return within([&]() -> Result<ExportReport> {
    const auto made = frames.madeFor(path, task);
    if (!made) return Failure(made.error());
    ExportOptions wanted = named(how);
    wanted.attributes.insert(wanted.attributes.end(), made->attributes.begin(), made->attributes.end());
    auto report = exportLayers(made->layers, path, wanted, task);
    if (report) report->warnings.insert(report->warnings.end(), made->warnings.begin(), made->warnings.end());
    return report;
  });
}

}  // namespace arvesk
