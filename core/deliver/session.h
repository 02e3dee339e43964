// A plan in the hands of another program: open, set, evaluate, points as arrays, export. Whatever goes wrong comes back
// as a Problem; nothing of the host program is changed. The command line is written on it.
#pragma once

#include "core/deliver/delivery.h"
#include "core/formats/file_service.h"
#include "core/formats/moving.h"

namespace arvesk {

class OwnThreads;

/// Points as plain arrays, one after the other for each point.
struct PointArrays {
  std::size_t count = 0;
  std::vector<float> position;     // 3 each, m, world
  std::vector<float> orientation;  // 4 each: x, y, z, w; world from own
  std::vector<float> size;         // 3 each, factors along own axes
  std::vector<float> footprint;    // m, at size 1
  std::vector<std::uint64_t> id;
  std::vector<std::int32_t> prop;                         // into `props`; −1: none
  std::vector<std::string> props;                         // names
  std::map<std::string, std::vector<float>> numbers;      // attributes, 1 each
  std::map<std::string, std::vector<float>> vectors;      // attributes, 3 each
  std::map<std::string, std::vector<std::string>> texts;  // attributes
  std::map<std::string, std::vector<std::uint64_t>> ids;  // attributes
};

class Session {
 public:
  struct Settings {
    FilePlaces places;  // of the import helpers and the cache
    int threads = 0;    // 0: all of the machine
  };

  /// Reads the plan; relative files start at its folder.
  static Result<Session> open(const std::string& path) { return open(path, Settings()); }
  static Result<Session> open(const std::string& path, const Settings& settings);
  Session(Session&&) noexcept;
  Session& operator=(Session&&) noexcept;
  ~Session();

  const Plan& plan() const { return m_plan; }
  /// As it was evaluated last, with its sub-plans opened: what `evaluation` is about.
  const Plan& opened() const { return m_evaluation.opened ? m_evaluation.opened->plan : m_plan; }
  DiskFileService& files() { return *m_files; }
  /// "node title or uid.parameter=value", or "dial=value".
  Result<void> set(const std::string& text);
  void setSeed(std::uint64_t seed) { m_plan.settings.seed = seed; }
  /// All that follows is of this frame, which may lie between two; without it of the plan's first one.
  void setFrame(double frame) { m_plan.frame = frame; }

  /// Works the plan out; what single nodes say is in `problems`. Fails after a cancel and when memory runs out. Of
  /// points those within `part` are there. `wanted`: uids of nodes; all when it is empty.
  Result<void> evaluate(Quality quality, const Limits& limits = {}, const Task& task = {}, const Part& part = {},
                        const std::vector<std::string>& wanted = {});
  const Evaluation& evaluation() const { return m_evaluation; }
  /// What another plan gives with the same files, such as an earlier state of this one; `evaluation` stays.
  Result<Evaluation> evaluated(const Plan& plan, Quality quality, const Limits& limits, const Task& task,
                               const std::vector<std::string>& wanted);
  std::size_t cacheBytes() const { return m_files->memory().bytes(); }
  /// What props and nodes had to say, in the order of the plan.
  std::vector<Problem> problems() const;

  /// The node by its title or uid; fails with what there is.
  Result<const Node*> find(const std::string& titleOrUid) const;
  /// What the node gives at its first output, as it was evaluated last.
  Result<PointArrays> points(const std::string& titleOrUid) const;
  /// Writes the outputs titled in `outputs`, all exported ones when it is empty; the path's ending is the format.
  Result<ExportReport> exportTo(const std::string& path, const ExportOptions& how,
                                const std::vector<std::string>& outputs = {}, const Task& task = {}) const;
  /// The outputs as they were evaluated last, for a file of many frames.
  Result<void> addFrame(MovingLayers& frames, const std::vector<std::string>& outputs) const;
  /// Writes frames that were added into one file.
  Result<ExportReport> exportFrames(const MovingLayers& frames, const std::string& path, const ExportOptions& how,
                                    const Task& task = {}) const;

 private:
  Session() = default;
  template <typename Work>
  auto within(Work&& work) const;
  ExportOptions named(ExportOptions how) const;
  Result<Evaluation> evaluated(const Plan& plan, const EvalRequest& request);

  std::string m_path;
  Plan m_plan;
  std::shared_ptr<DiskFileService> m_files;
  Evaluation m_evaluation;
  std::unique_ptr<OwnThreads> m_threads;
};

}  // namespace arvesk
