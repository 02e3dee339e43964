// What is written beside a file where pieces of broken bodies are placed: which of them meet, and convex bodies.
#include "core/base/csv_field.h"
#include "core/base/safe_file.h"
#include "core/formats/exporter.h"
#include "core/props/light_body.h"

#include <fmt/format.h>

#include <set>

namespace arvesk {
namespace {

/// The pieces that are placed, by uid: each once, in whatever layers it is.
std::map<std::string, PropPtr> placedPieces(const exporters::Job& job) {
  std::map<std::string, PropPtr> out;
  for (const exporters::Group& group : job.groups)
    if (group.prop->piece) out.emplace(group.prop->uid, group.prop);
  return out;
}

std::string besideOf(const std::string& path, const std::string& ending) {
  return path.substr(0, path.find_last_of('.')) + ending;
}

}  // namespace

Result<void> exporters::contactsBeside(Job& job) {
  std::map<std::string, std::map<std::string, const PieceOf*>> breakings;
  for (const auto& [uid, prop] : placedPieces(job))
    breakings[prop->piece->breaking].emplace(prop->name, prop->piece.get());
  if (breakings.empty()) return {};
  std::string block = "piece,owner,volume_m3,neighbor,area_m2\n";
  for (const auto& [uid, pieces] : breakings)
    for (const auto& [name, piece] : pieces)
      for (const PieceOf::Contact& contact : piece->contacts)
        if (pieces.contains(contact.name))
          block += fmt::format("{},{},{},{},{}\n", csvField(name), csvField(piece->ownerName), piece->volume,
                               csvField(contact.name), contact.area);
  const std::string path = besideOf(job.path, "-contacts.csv");
  SafeFile file(path);
  file.write(block);
  auto done = file.commit();
  if (done) job.report.files.push_back(path);
  return done;
}

Result<void> exporters::bodiesBeside(Job& job) {
  std::vector<SceneItem> items;
  std::map<std::string, int> used;
  std::size_t flat = 0;
  for (const auto& [uid, prop] : placedPieces(job)) {
    if (job.task.isCancelled()) return Failure(cancelled());
    const SurfacePtr body = lightBodyOf(*prop);
    if (body)
      items.push_back({uniqueName(used, prop->name), body});
    else
      ++flat;
  }
  const auto warn = [&](std::string message, std::string advice) {
    job.report.warnings.push_back(
        {ProblemCode::WrongInput, Severity::Warning, {}, std::move(message), std::move(advice)});
  };
  if (flat > 0) warn(fmt::format("{} pieces are flat and have no convex body", flat), "Raise Smallest in Break up");
  if (items.empty()) {
    warn("no pieces are placed: no convex bodies were written", "They are made of what Break up gives");
    return {};
  }
  const std::string path = besideOf(job.path, "-bodies.glb");
  auto done = glbOf(items, path);
  if (done) job.report.files.push_back(path);
  return done;
}

}  // namespace arvesk
