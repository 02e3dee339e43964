// Works out a plan: walks back from what is wanted, reuses what is cached, reports per node. Runs on any thread, one
// run at a time.
#pragma once

#include "core/plan/document.h"

#include <array>
#include <list>
#include <set>

namespace arvesk {

enum class NodeState { Done, Skipped, Failed, Waiting };

struct NodeReport {
  NodeState state = NodeState::Waiting;
  std::size_t given = 0;            // points that came in by the main input, or candidates of a Sow node
  std::vector<std::size_t> passed;  // per output
  double milliseconds = 0;          // when it was computed, whether now or before
  std::size_t bytes = 0;
  bool isFromCache = false;
  std::vector<Problem> problems;
  std::shared_ptr<const Histogram> histogram;
};

struct Evaluation {
  bool isCancelled = false;
  double milliseconds = 0;
  std::map<std::string, NodeReport> reports;
  std::map<std::string, Outputs> values;  // of all nodes that are done
  std::vector<Problem> propProblems;      // props that could not be read

  /// What the node gave at its first output, when it is a `T` (PointsPtr, SurfacePtr, MaskPtr …); null otherwise.
  template <typename T>
  T firstOf(const std::string& uid) const {
    const auto it = values.find(uid);
    const T* value = it == values.end() || it->second.empty() ? nullptr : std::get_if<T>(&it->second.front());
    return value ? *value : T{};
  }
};

struct EvalRequest {
  Quality quality = Quality::Final;
  std::vector<std::string> wanted;  // uids; empty: every node of the plan
  Limits limits;
  Task task;
  std::function<void(const std::string& uid)> started;  // a node begins; called on the evaluating thread
};

/// What stands at the inputs of `node`, from the values of the nodes before it; what is not there yet is left out.
Inputs inputsOf(const Plan& plan, const Evaluation& evaluation, const Node& node);

/// The seeds and quality that `node` is evaluated under; files, props and reports are the caller's.
EvalContext contextOf(const Plan& plan, const Node& node, Quality quality);

class Evaluator {
 public:
  explicit Evaluator(std::shared_ptr<FileService> files) : m_files(std::move(files)) {}
  Evaluation evaluate(const Plan& plan, const EvalRequest& request);
  std::size_t cacheBytes() const { return m_cacheBytes; }
  FileService& files() { return *m_files; }
  /// The plan's props as loaded in the last run, for thumbnails.
  const std::vector<PropPtr>& props() const { return m_props; }

 private:
  using Key = std::array<std::uint64_t, 2>;
  struct Cached {
    Outputs outputs;
    NodeReport report;
    std::size_t bytes = 0;
    std::list<Key>::iterator use;
  };
  struct Run;

  void store(const Key& key, const Outputs& outputs, const NodeReport& report, std::size_t limit);

  std::shared_ptr<FileService> m_files;
  std::map<Key, Cached> m_cache;
  std::list<Key> m_uses;  // last used first
  std::size_t m_cacheBytes = 0;
  std::vector<PropPtr> m_props;
  std::map<std::string, std::pair<std::uint64_t, PropPtr>> m_loadedProps;  // by uid, with the key they were made from
};

}  // namespace arvesk
