// What a node may know besides inputs and parameters: seeds, quality, limits, files, props. No globals, no clock.
#pragma once

#include "core/base/part.h"
#include "core/base/pattern.h"
#include "core/base/random.h"
#include "core/base/table.h"
#include "core/base/task.h"
#include "core/plan/value.h"
#include "core/spatial/volume_file.h"

#include <optional>

namespace arvesk {

enum class Quality { Draft, Final };

struct Limits {
  std::size_t points = 20'000'000;
  std::size_t cacheBytes = usualCacheBytes();
};

/// The only way to files. Implementations are thread safe; formats/file_service has the real one.
class FileService {
 public:
  virtual ~FileService() = default;
  /// What was read and what was made of it, under one limit: evaluators over the same files share their results.
  MemoryCache& memory() { return m_memory; }
  /// A hash of the file's content; fails when it cannot be read.
  virtual Result<std::uint64_t> contentKey(const std::string& path) = 0;
  virtual Result<SurfacePtr> surface(const std::string& path, const Task& task, std::vector<Problem>& warnings) = 0;
  /// As `surface`, but a file with named nodes or bare points and no triangles will do.
  virtual Result<SurfacePtr> scene(const std::string& path, const Task& task, std::vector<Problem>& warnings) = 0;
  virtual Result<TablePtr> table(const std::string& path, const Task& task) = 0;
  virtual Result<VolumeFilePtr> volumes(const std::string& path, const Task& task, std::vector<Problem>& warnings) = 0;
  virtual Result<ImagePtr> image(const std::string& path, const Task& task) = 0;

 private:
  MemoryCache m_memory;
};

/// How a filter's decision was measured, for the distribution on the Bench: kept and left out per bin.
struct Histogram {
  std::string label;  // "slope"
  const char* suffix = "";
  float from = 0;
  float to = 1;
  float median = 0;
  std::vector<std::uint32_t> kept;
  std::vector<std::uint32_t> left;
  std::size_t keptCount = 0;
  std::size_t leftCount = 0;
};

/// Bins of `values` over from…to (ends included); with from ≥ to over the values' own range.
Histogram makeHistogram(std::string label, const char* suffix, float from, float to, const Array<float>& values,
                        const Array<std::uint8_t>& kept);

/// Where in its time a plan is: the names that formulas know.
struct Moment {
  double frame = 1;
  double seconds = 0;     // since the first frame
  double phase = 0;       // of the plan's time that has passed, 0 at its first frame; 1 would be the one after the last
  double rate = 24;       // frames per second
  bool isOfTime = false;  // else the plan has none, and nothing moves
};

/// What a kind that remembers knows from the frame before, and keeps for the next one.
using MemoryPtr = std::shared_ptr<const Cached>;

struct EvalContext {
  Task task;
  std::uint64_t planSeed = 0;  // 0 when the node's seed is locked
  std::uint64_t nodeSeed = 0;
  std::uint64_t nodeUid = 0;  // hash of the uid in the document
  float draftShare = 1;       // points that no draft of this share delivers need not be made; 1: all are wanted
  Limits limits;
  FileService* files = nullptr;
  const std::vector<PropPtr>* props = nullptr;  // of the plan, loaded as far as they could be
  std::vector<Problem>* warnings = nullptr;
  std::optional<Histogram>* histogram = nullptr;
  std::size_t* candidates = nullptr;  // what Sow nodes report as "given"
  std::string* said = nullptr;        // what the card tells of the result
  Moment now;                         // only kinds that say so in `usesTime` or `remembers` may look
  MemoryPtr before;                   // of the frame before; null at the first one. Only for kinds that remember
  double sinceBefore = 0;             // s
  MemoryPtr* after = nullptr;
  Part part;                // kinds that say so (`makesParts`) make what lies in it and nothing else
  Part wanted;              // where what comes out has to be right
  Part known;               // where all points of the main input are there
  double* wider = nullptr;  // see askWider

  /// The id of a point that this node makes; `code` tells its points apart. No point is ever made without the node's
  /// uid.
  template <typename... Codes>
  std::uint64_t idOf(std::uint64_t code, Codes... codes) const {
    return hashOf(nodeUid, code, codes...);
  }
  Draw draw(std::string_view purpose) const { return {planSeed, nodeSeed, nodeUid, purpose}; }
  void warn(std::string message, std::string advice = {}, Remedy remedy = Remedy::None) const {
    if (warnings)
      warnings->push_back(
          {ProblemCode::BadParameter, Severity::Warning, {}, std::move(message), std::move(advice), remedy});
  }
  /// Warns of each entry of `patterns` that fits none of `names`, and lists what there is; `what` is "part", "prop" …
  void warnUnmatched(const Patterns& patterns, const std::vector<std::string>& names, const char* what) const;
  /// Puts what is worth knowing of the result, in few words, on the card.
  void say(std::string text) const {
    if (said) *said = std::move(text);
  }
  /// What is wanted hangs on what may lie outside of `known`: the node is to be asked again with at least `meters` more
  /// around; infinity: with everything.
  void askWider(double meters) const {
    if (wider) *wider = std::max(*wider, meters);
  }
  void measured(Histogram h) const {
    if (histogram) *histogram = std::move(h);
  }
};

/// Names for people: "a; b; c and 9 more".
std::string listOf(const std::vector<std::string>& names);

/// Fails with the number that would be made and what to change when it is above the limit of points, or would be above
/// that of memory with all that lives already.
Result<void> guardPoints(const EvalContext& ctx, double estimate, const std::string& advice);

}  // namespace arvesk
