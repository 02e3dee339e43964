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

/// Files of other formats than USD can be read here: one that is larger or lies otherwise than the prop's own would be
/// delivered wrong.
Result<void> checkDelivery(FileService& files, const PropEntry& entry, const Surface& own, const Task& task,
                           std::vector<Problem>& warnings) {
  if (!entry.isByReference) return {};
  const auto tell = [&](std::string what, std::string advice) {
    warnings.push_back({ProblemCode::WrongInput, Severity::Warning, {}, std::move(what), std::move(advice)});
  };
  if (entry.partBy != PartBy::Whole) {
    tell("a part of a file cannot be delivered by reference; exports hold its geometry",
         "Deliver its geometry, or give it a file of its own");
    return {};
  }
  if (entry.creaseDeg >= 0)
    tell("exports by reference keep the normals of its file, not those that are made here",
         "Leave its normals as made, or deliver its geometry");
  if (!entry.values.empty())
    tell("exports by reference leave its file as it is: the values made here are not in it",
         "Keep it as a file of its own in the picture of the prop, or deliver its geometry");
  if (entry.deliveredFile.empty()) return {};
  if (const auto there = files.contentKey(entry.deliveredFile); !there) {
    tell(fmt::format("the file that it is delivered by, {}, is not there", entry.deliveredFile),
         "Name another file for delivery");
    return {};
  }
  const auto isEnding = [&](std::string_view ending) { return entry.deliveredFile.ends_with(ending); };
  if (isEnding(".usd") || isEnding(".usda") || isEnding(".usdc") || isEnding(".usdz")) return {};
  std::vector<Problem> unsaid;
  const auto other = files.surface(entry.deliveredFile, task, unsaid);
  if (!other) {
    if (other.error().code == ProblemCode::Cancelled) return Failure(other.error());
    tell(fmt::format("whether {} is as large as the prop could not be checked: {}", entry.deliveredFile,
                     other.error().message),
         "Look at it in the Kit of a plan of its own");
    return {};
  }
  const Vec3 mine = own.bounds().extent() * static_cast<float>(entry.unitScale);
  const Vec3 standing = entry.isZUp ? Vec3(mine.x, mine.z, mine.y) : mine;
  const Vec3 theirs = (*other)->bounds().extent();
  const float largest = std::max({standing.x, standing.y, standing.z});
  const bool isAlike = glm::all(glm::lessThan(glm::abs(theirs - standing), Vec3(0.05F * largest)));
  if (!isAlike)
    tell(fmt::format("{}, by which it is delivered, is {:.3g} × {:.3g} × {:.3g} m, and the prop {:.3g} × {:.3g} × "
                     "{:.3g} m before it is sized: unit or axis differ, or it is another thing",
                     entry.deliveredFile, theirs.x, theirs.y, theirs.z, standing.x, standing.y, standing.z),
         "Deliver a file in meters with Y up, of the same size");
  return {};
}

Result<std::shared_ptr<const CachedProp>> made(FileService& files, const PropEntry& entry, const ResultKey& key,
                                               const Task& task) {
  if (auto known = files.memory().find<CachedProp>(key)) return known;
  return withinBorder([&]() -> Result<std::shared_ptr<const CachedProp>> {
    auto kept = std::make_shared<CachedProp>();
    auto surface = files.surface(entry.file, task, kept->warnings);
    if (!surface) return Failure(surface.error());
    SurfacePtr light;
    if (!entry.lightFile.empty()) {
      auto read = files.surface(entry.lightFile, task, kept->warnings);
      if (read)
        light = std::move(*read);
      else if (read.error().code == ProblemCode::Cancelled)
        return Failure(read.error());
      else
        kept->warnings.push_back({read.error().code,
                                  Severity::Warning,
                                  {},
                                  fmt::format("what is to stand for it in Site, {}, could not be read: {}",
                                              entry.lightFile, read.error().message),
                                  "Name another file for its massing"});
    }
    auto prop = makePlanProp(entry, **surface, light.get(), &kept->warnings, task);
    if (!prop) return Failure(prop.error());
    if (auto ok = checkDelivery(files, entry, **surface, task, kept->warnings); !ok) return Failure(ok.error());
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
  if (!entry.lightFile.empty()) {
    const auto light = files.contentKey(entry.lightFile);
    key.add(light ? *light : std::uint64_t{0});
  }
  if (entry.isByReference && !entry.deliveredFile.empty()) {
    const auto delivered = files.contentKey(entry.deliveredFile);
    key.add(delivered ? *delivered : std::uint64_t{0});
  }
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
