// Works out a plan: walks back from what is wanted, reuses what is cached, works on independent branches at the same
// time, reports per node. Runs on any thread, one run at a time.
#pragma once

#include "core/plan/document.h"
#include "core/plan/draft.h"
#include "core/plan/open_plan.h"

namespace arvesk {

enum class NodeState { Done, Skipped, Failed, Waiting };

struct NodeReport {
  NodeState state = NodeState::Waiting;
  std::size_t given = 0;            // points that came in by the main input, or candidates of a Sow node
  std::vector<std::size_t> passed;  // per output
  double milliseconds = 0;          // when it was computed, whether now or before
  std::size_t bytes = 0;
  bool isFromCache = false;
  bool isDraft = false;  // its counts are of a draft; those of what decides are whole in every quality
  std::vector<Problem> problems;
  std::string said;  // by the node, of its result
  Part worked;       // where its points are known, when a part was asked for; all of them: it cannot do with less
  std::shared_ptr<const Histogram> histogram;
};

struct Evaluation {
  bool isCancelled = false;
  double milliseconds = 0;
  float draftShare = 1;  // of what a draft delivers; 1 in final quality
  /// What was worked out: the plan with its sub-plans opened. Who walks along links walks along its.
  std::shared_ptr<const OpenedPlan> opened;
  std::map<std::string, NodeReport> reports;                 // by uid in the opened plan; instances have one too
  std::map<std::string, Outputs> values;                     // of all nodes and instances that are done
  std::map<std::string, double> rooms;                       // m around a part for others' room, by uid (roomNeeded)
  std::map<std::string, double> wider;                       // all that nodes needed more around it (neededParts)
  std::vector<PropPtr> props;                                // of the plan; stand-ins for those that could not be read
  std::map<std::string, std::vector<Problem>> propProblems;  // by uid: why they could not, and what reading them said

  /// What the node gave at its first output, when it is a `T` (PointsPtr, SurfacePtr, MaskPtr …); null otherwise.
  template <typename T>
  T firstOf(const std::string& uid) const {
    const auto it = values.find(uid);
    const T* value = it == values.end() || it->second.empty() ? nullptr : std::get_if<T>(&it->second.front());
    return value ? *value : T{};
  }
};

/// How far what is being worked on is.
struct AtWork {
  std::string uid;    // of the node; empty: the props of the plan
  std::string doing;  // "reading dunes.tif", "3 of 36 props"; empty: the node's own work
  float share = 0;    // of it that is done; 0 while that is not known

  bool operator==(const AtWork&) const = default;
};

struct EvalRequest {
  Quality quality = Quality::Final;
  std::vector<std::string> wanted;  // uids; empty: every node of the plan
  Part part;  // points outside of it are not delivered; those inside are the same ones, to the bit, as in the whole
  std::map<std::string, double> rooms;  // what an evaluation found before (Evaluation::rooms): saves finding it again
  Limits limits;
  Task task;
  // All are called by any thread, but by one at a time.
  std::function<void(const std::string& uid)> started;  // a node begins
  std::function<void(const AtWork&)> atWork;
  std::function<void(const std::string& uid, const NodeReport& report, const Outputs& delivered)> ended;
};

/// What stands at the inputs of `node`, from the values of the nodes before it; what is not there leaves its place
/// empty.
Inputs inputsOf(const Plan& plan, const Evaluation& evaluation, const Node& node);

/// The seeds that `node` is evaluated under; files, props and reports are the caller's.
EvalContext contextOf(const Plan& plan, const Node& node);

/// Evaluates plans. Results are kept in the file service's memory: evaluators over the same files share them.
class Evaluator {
 public:
  explicit Evaluator(std::shared_ptr<FileService> files) : m_files(std::move(files)) {}
  Evaluation evaluate(const Plan& plan, const EvalRequest& request);
  std::size_t cacheBytes() const { return m_files->memory().bytes(); }
  FileService& files() { return *m_files; }

 private:
  std::shared_ptr<FileService> m_files;
};

}  // namespace arvesk
