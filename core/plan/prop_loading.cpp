#include "core/plan/prop_loading.h"

#include "core/base/border.h"
#include "core/plan/prop_making.h"

#include <fmt/format.h>

namespace arvesk {
namespace {

struct CachedProp final : Cached {
  PropPtr prop;
  std::vector<Problem> warnings;
  void countBytes(ByteCounter& counter) const override { prop->countBytes(counter); }
};

PropPtr standIn(const PropEntry& entry) {
  const auto prop = makeProp(entry.uid, entry.name, std::make_shared<const Surface>());
  prop->footprint = static_cast<float>(entry.footprint);
  prop->base = static_cast<float>(entry.base);
  prop->weight = static_cast<float>(entry.weight);
  prop->tags = tagsOf(entry.tags);
  prop->isMissing = true;
  return prop;
}

Result<std::shared_ptr<const CachedProp>> made(FileService& files, const PropEntry& entry, const ResultKey& key,
                                               const Task& task) {
  if (auto known = files.memory().find<CachedProp>(key)) return known;
  return withinBorder([&]() -> Result<std::shared_ptr<const CachedProp>> {
    auto kept = std::make_shared<CachedProp>();
    auto surface = files.surface(entry.file, task, kept->warnings);
    if (!surface) return Failure(surface.error());
    auto prop = makePlanProp(entry, **surface);
    if (!prop) return Failure(prop.error());
    kept->prop = std::move(*prop);
    files.memory().store(key, kept);
    return kept;
  });
}

/// Names the prop, and the file where one is named.
void nameTheProp(Problem& problem, const PropEntry& entry) {
  problem.where = problem.where.empty() ? entry.name : fmt::format("{} ({})", entry.name, problem.where);
}

}  // namespace

LoadedProp loadProp(FileService& files, const PropEntry& entry, const Task& task) {
  const auto content = files.contentKey(entry.file);
  KeyBuilder key;
  key.addText("prop");
  key.add(content ? *content : std::uint64_t{0});
  addProp(key, entry);
  LoadedProp loaded{key.lanes, nullptr, {}, {}};
  const auto prop = content ? made(files, entry, key.lanes, task)
                            : Result<std::shared_ptr<const CachedProp>>(Failure(content.error()));
  if (prop) {
    loaded.prop = (*prop)->prop;
    loaded.warnings = (*prop)->warnings;
    for (Problem& p : loaded.warnings) nameTheProp(p, entry);
    return loaded;
  }
  // What was made with its stand-in is not found again once it can be read.
  key.addText("missing");
  loaded.key = key.lanes;
  loaded.prop = standIn(entry);
  loaded.problem = prop.error();
  nameTheProp(*loaded.problem, entry);
  return loaded;
}

}  // namespace arvesk
