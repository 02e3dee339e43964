#include "core/plan/prop_loading.h"

#include "core/base/border.h"
#include "core/plan/prop_making.h"

#include <fmt/format.h>

namespace arvesk {
namespace {

struct CachedProp final : Cached {
  PropPtr prop;
  void countBytes(ByteCounter& counter) const override { prop->countBytes(counter); }
};

PropPtr standIn(const PropEntry& entry) {
  const auto prop = makeProp(entry.uid, entry.name, std::make_shared<const Surface>());
  prop->footprint = static_cast<float>(entry.footprint);
  prop->weight = static_cast<float>(entry.weight);
  prop->tags = tagsOf(entry.tags);
  prop->isMissing = true;
  return prop;
}

Result<PropPtr> made(FileService& files, const PropEntry& entry, const ResultKey& key, const Task& task) {
  if (const auto known = files.memory().find<CachedProp>(key)) return known->prop;
  return withinBorder([&]() -> Result<PropPtr> {
    std::vector<Problem> warnings;
    auto surface = files.surface(entry.file, task, warnings);
    if (!surface) return Failure(surface.error());
    auto prop = makePlanProp(entry, **surface);
    if (!prop) return Failure(prop.error());
    auto kept = std::make_shared<CachedProp>();
    kept->prop = *prop;
    files.memory().store(key, std::move(kept));
    return *prop;
  });
}

}  // namespace

LoadedProp loadProp(FileService& files, const PropEntry& entry, const Task& task) {
  const auto content = files.contentKey(entry.file);
  KeyBuilder key;
  key.addText("prop");
  key.add(content ? *content : std::uint64_t{0});
  addProp(key, entry);
  LoadedProp loaded{key.lanes, nullptr, {}};
  Result<PropPtr> prop = content ? made(files, entry, key.lanes, task) : Result<PropPtr>(Failure(content.error()));
  if (prop) {
    loaded.prop = std::move(*prop);
    return loaded;
  }
  // What was made with its stand-in is not found again once it can be read.
  key.addText("missing");
  loaded.key = key.lanes;
  loaded.prop = standIn(entry);
  loaded.problem = std::move(prop.error());
  std::string& where = loaded.problem->where;
  where = where.empty() ? entry.name : fmt::format("{} ({})", entry.name, where);
  return loaded;
}

}  // namespace arvesk
