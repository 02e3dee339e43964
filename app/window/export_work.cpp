#include "app/window/export_work.h"

#include "core/deliver/delivery.h"
#include "core/deliver/map_picture.h"
#include "core/formats/moving.h"

#include <QFile>

namespace arvesk {
namespace {

/// Cover of each exported output, beside the file.
Result<void> writeCovers(const Plan& plan, const Evaluation& evaluation, const std::vector<ExportLayer>& layers,
                         const std::string& path, ExportReport& report, const Task& task) {
  std::vector<PointsPtr> bare;
  const std::vector<SurfacePtr> grounds = pictureInputOf(plan, evaluation, {}, bare).grounds;
  const std::string stem = path.substr(0, path.find_last_of('.'));
  for (const ExportLayer& layer : layers) {
    if (!layer.points) continue;
    std::string name = layer.name;
    for (char& c : name)
      if (!std::isalnum(static_cast<unsigned char>(c))) c = '-';
    const std::string file = stem + "-cover-" + name + ".png";
    if (auto ok = writeMapPicture(coverPicture({layer.points}, grounds, 0.5F, task), file); !ok) return ok;
    report.files.push_back(file);
  }
  return {};
}

/// Several reports as one, each warning once.
class Gathered {
 public:
  void warn(const Problem& p) {
    if (std::find(m_done.report.warnings.begin(), m_done.report.warnings.end(), p) == m_done.report.warnings.end())
      m_done.report.warnings.push_back(p);
  }
  /// What nodes and props warned of belongs to the report: who hands the files on reads it here last.
  void warnOf(const Evaluation& evaluation) {
    for (const auto& [uid, problems] : evaluation.propProblems)
      for (const Problem& p : problems) warn(p);
    for (const auto& [uid, node] : evaluation.reports)
      for (const Problem& p : node.problems)
        if (p.severity != Severity::Note) warn(p);
  }
  void count(std::size_t placements) {
    m_done.fewest = m_isCounted ? std::min(m_done.fewest, placements) : placements;
    m_done.most = std::max(m_done.most, placements);
    m_isCounted = true;
  }
  void add(ExportReport report, const std::string& at) {
    ExportReport& all = m_done.report;
    for (const Problem& p : all.warnings)
      if (std::find(report.warnings.begin(), report.warnings.end(), p) == report.warnings.end())
        report.warnings.push_back(p);
    report.files.insert(report.files.begin(), all.files.begin(), all.files.end());
    report.bytes += all.bytes;
    for (std::string& fault : report.faults)
      if (!at.empty()) fault = at + ": " + fault;
    report.faults.insert(report.faults.begin(), all.faults.begin(), all.faults.end());
    if (all.verifySeconds) report.verifySeconds = report.verifySeconds.value_or(0) + *all.verifySeconds;
    all = std::move(report);
  }
  ExportDone& done() { return m_done; }

 private:
  ExportDone m_done;
  bool m_isCounted = false;
};

std::size_t placementsOf(const std::vector<ExportLayer>& layers) {
  std::size_t count = 0;
  for (const ExportLayer& layer : layers) count += layer.points ? layer.points->count : 0;
  return count;
}

}  // namespace

Result<ExportDone> exported(const ExportJob& job, const Task& task) {
  Gathered out;
  const bool isOne = job.way == FrameChoice::Way::InOne;
  std::vector<std::optional<int>> frames(job.frames.begin(), job.frames.end());
  if (job.way == FrameChoice::Way::This) frames.assign(1, std::nullopt);
  MovingLayers moving(job.plan->settings.time.value_or(PlanTime()).rate);
  out.done().frames = 0;
  for (std::size_t i = 0; i < frames.size(); ++i) {
    const auto within = [&](float from, float to) {
      return Task{task.stop, [&task, i, from, to, count = frames.size()](float share) {
                    task.report((static_cast<float>(i) + from + (to - from) * share) / static_cast<float>(count));
                  }};
    };
    std::string path = job.path;
    if (frames[i] && !isOne) path = FrameChoice::fileOf(QString::fromStdString(path), *frames[i]).toStdString();
    if (job.isGoingOn && QFile::exists(QString::fromStdString(path))) {
      ++out.done().there;
      continue;
    }
    Plan plan = *job.plan;
    if (frames[i]) plan.frame = *frames[i];
    EvalRequest request;
    request.task = within(0, isOne ? 0.9F : 0.6F);
    const Evaluation evaluation = Evaluator(job.files).evaluate(plan, request);
    if (evaluation.isCancelled) return Failure(cancelled());
    const auto layers = exportLayersOf(evaluation.opened->plan, evaluation, job.outputs);
    if (!layers) return Failure(layers.error());
    out.count(placementsOf(*layers));
    out.warnOf(evaluation);
    ++out.done().frames;
    if (isOne) {
      if (auto ok = moving.add(*frames[i], *layers); !ok) return Failure(ok.error());
      continue;
    }
    auto report = exportLayers(*layers, path, job.how, within(0.6F, 1));
    if (!report) return Failure(report.error());
    if (job.hasCovers)
      if (auto ok = writeCovers(evaluation.opened->plan, evaluation, *layers, path, *report, {task.stop, {}}); !ok)
        return Failure(ok.error());
    out.add(std::move(*report), frames[i] ? std::to_string(*frames[i]) : std::string());
  }
  if (!isOne) return out.done();
  const auto made = moving.madeFor(job.path, task);
  if (!made) return Failure(made.error());
  ExportOptions how = job.how;
  how.attributes.insert(how.attributes.end(), made->attributes.begin(), made->attributes.end());
  auto report = exportLayers(made->layers, job.path, how, {task.stop, {}});
  if (!report) return Failure(report.error());
  for (const Problem& p : made->warnings) out.warn(p);
  out.add(std::move(*report), {});
  return out.done();
}

}  // namespace arvesk
