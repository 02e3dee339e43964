#include "core/formats/exporter.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <filesystem>
#include <set>

namespace arvesk {
namespace {

bool endsWith(const std::string& text, std::string_view ending) {
  return text.size() >= ending.size() && text.compare(text.size() - ending.size(), ending.size(), ending) == 0;
}

void warn(ExportReport& report, std::string message, std::string advice) {
  report.warnings.push_back({ProblemCode::WrongInput, Severity::Warning, {}, std::move(message), std::move(advice)});
}

Result<void> write(exporters::Job& job) {
  if (endsWith(job.path, ".glb")) return exporters::gltf(job, true);
  if (endsWith(job.path, ".gltf")) return exporters::gltf(job, false);
  if (endsWith(job.path, ".usda")) return exporters::usda(job);
  if (endsWith(job.path, ".csv")) return exporters::csv(job);
  if (endsWith(job.path, ".ply")) return exporters::ply(job);
  if (endsWith(job.path, ".obj")) return exporters::obj(job);
  return fail(ProblemCode::BadParameter, "the format is not known by its ending",
              "Use .glb, .gltf, .usda, .csv, .ply or .obj", job.path);
}

}  // namespace

const std::vector<ExportFormat>& exportFormats() {
  static const std::vector<ExportFormat> formats{{".glb", "glTF, one file"}, {".gltf", "glTF, text and data"},
                                                 {".usda", "USD, text"},     {".csv", "CSV table"},
                                                 {".ply", "PLY points"},     {".obj", "OBJ mesh"}};
  return formats;
}

std::string exporters::uniqueName(std::map<std::string, int>& used, const std::string& wanted) {
  const std::string base = wanted.empty() ? "unnamed" : wanted;
  int& n = used[base];
  if (++n == 1) return base;
  for (;;) {
    std::string name = fmt::format("{} {}", base, n);
    if (used.emplace(name, 1).second) return name;
    ++n;
  }
}

Result<std::uint64_t> exporters::guardGeometry(const Job& job) {
  std::uint64_t triangles = 0;
  for (const Group& g : job.groups) triangles += g.points.size() * g.prop->surface->faceCount();
  if (triangles > job.options.mostTriangles)
    return fail(
        ProblemCode::TooMany,
        fmt::format("would write {} triangles as real geometry, the limit is {}", triangles, job.options.mostTriangles),
        "Export instances, or fewer outputs", job.path);
  return triangles;
}

Result<ExportReport> exportLayers(const std::vector<ExportLayer>& layers, const std::string& path,
                                  const ExportOptions& options, const Task& task) {
  ExportReport report;
  ExportOptions how = options;
  if (std::find(how.attributes.begin(), how.attributes.end(), "*") != how.attributes.end()) {
    std::set<std::string> all;
    for (const ExportLayer& layer : layers)
      if (layer.points)
        for (const auto& [name, column] : layer.points->attributes) all.insert(name);
    how.attributes.assign(all.begin(), all.end());
  }
  exporters::Job job{{}, {}, {}, path, how, task, report};
  std::map<std::string, int> names;
  for (const ExportLayer& layer : layers) {
    job.layers.push_back(&layer);
    if (layer.surface) {
      job.surfaces.emplace_back(&layer, exporters::uniqueName(names, layer.name));
      report.triangles += layer.surface->faceCount();
      ++report.surfaces;
      continue;
    }
    const Points& p = *layer.points;
    std::vector<Array<std::uint32_t>> byProp(p.kit ? p.kit->entries.size() : 0);
    std::size_t bare = 0;
    for (std::size_t i = 0; i < p.count; ++i) {
      if (p.prop[i] == kNoProp)
        ++bare;
      else
        byProp[static_cast<std::size_t>(p.prop[i])].push_back(static_cast<std::uint32_t>(i));
    }
    report.withoutProp += bare;
    report.perLayer[layer.name] += p.count - bare;
    if (bare > 0)
      warn(report, fmt::format("{}: {} points have no prop", layer.name, bare),
           "Put Dress before the Output; only CSV and PLY write such points");
    for (std::size_t k = 0; k < byProp.size(); ++k) {
      if (byProp[k].empty()) continue;
      const PropPtr& prop = p.kit->entries[k].prop;
      if (prop->isMissing) {
        const std::string what = fmt::format("{}: {} placements need {}, whose file could not be read", layer.name,
                                             byProp[k].size(), prop->name);
        if (!options.isWithoutMissing)
          return fail(ProblemCode::FileMissing, what, "Mend it in the Kit, or choose to export without what is missing",
                      path);
        warn(report, what + "; they were left out", "Mend it in the Kit and export again");
        report.perLayer[layer.name] -= byProp[k].size();
        continue;
      }
      report.placements += byProp[k].size();
      report.perProp[prop->name] += byProp[k].size();
      report.triangles += byProp[k].size() * prop->surface->faceCount();
      job.groups.push_back(
          {&layer, prop, std::move(byProp[k]), exporters::uniqueName(names, layer.name + " " + prop->name)});
    }
  }
  report.files.push_back(path);
  if (auto done = write(job); !done) return Failure(done.error());
  if (!report.approximateColors.empty())
    warn(report,
         fmt::format("the colors of points on textured props are said by one factor each: {}",
                     fmt::join(report.approximateColors, ", ")),
         "Texture them in gray, or give them vertex colors, for exact colors");
  for (const std::string& file : report.files) {
    std::error_code error;
    if (const auto size = std::filesystem::file_size(file, error); !error) report.bytes += size;
  }
  if (report.placements == 0 && report.surfaces == 0 && report.withoutProp == 0)
    warn(report, "nothing was placed: the file is empty", "Look at the yields on the Plan");
  return report;
}

}  // namespace arvesk
