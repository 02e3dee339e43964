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
  float draftShare = 1;  // of what a draft delivers; 1 in final quality
  std::map<std::string, NodeReport> reports;
  std::map<std::string, Outputs> values;  // of all nodes that are done
  std::vector<PropPtr> props;             // of the plan, those that could be read
  std::vector<Problem> propProblems;      // those that could not

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

/// What stands at the inputs of `node`, from the values of the nodes before it; what is not there leaves its place
/// empty.
Inputs inputsOf(const Plan& plan, const Evaluation& evaluation, const Node& node);

/// The seeds that `node` is evaluated under; files, props and reports are the caller's.
EvalContext contextOf(const Plan& plan, const Node& node);

/// Uids of the nodes whose points may be thinned in a draft: nothing after them looks at others, so that what stays is
/// part of what final has. All that decides (patches, parents, rivals, goals) is whole in every quality.
std::set<std::string> thinnableNodes(const Plan& plan);

/// The points that a draft of `share` delivers; asked twice it is the same.
PointsPtr draftOf(const PointsPtr& points, float share);

/// Evaluates plans. Results are kept in the file service's memory: evaluators over the same files share them.
class Evaluator {
 public:
  explicit Evaluator(std::shared_ptr<FileService> files) : m_files(std::move(files)) {}
  Evaluation evaluate(const Plan& plan, const EvalRequest& request);
  std::size_t cacheBytes() const { return m_files->memory().bytes(); }
  FileService& files() { return *m_files; }

 private:
  struct Run;
  std::shared_ptr<FileService> m_files;
};

}  // namespace arvesk
