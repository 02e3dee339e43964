#include "core/formats/exporter.h"

#include "core/props/bare.h"

#include "core/base/pattern.h"
#include "core/formats/expected.h"
#include "core/formats/moving.h"
#include "core/props/coloring.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <chrono>
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
  if (endsWith(job.path, ".vdb")) return exporters::vdb(job);
  return fail(ProblemCode::BadParameter, "the format is not known by its ending",
              "Use .glb, .gltf, .usda, .csv, .ply, .obj or .vdb", job.path);
}

/// The layers as all writers are to see them: placements whose prop is missing are left out where that is wanted, else
/// nothing is written.
Result<std::vector<ExportLayer>> writable(const std::vector<ExportLayer>& layers, const ExportOptions& options,
                                          const std::string& path, ExportReport& report) {
  std::vector<ExportLayer> out = layers;
  for (ExportLayer& layer : out) {
    if (!layer.points || !layer.points->kit) continue;
    const Points& p = *layer.points;
    std::vector<std::size_t> lost(p.kit->entries.size());
    Array<std::uint32_t> kept;
    for (std::size_t i = 0; i < p.count; ++i) {
      const bool isLost = p.prop[i] != kNoProp && p.kit->entries[static_cast<std::size_t>(p.prop[i])].prop->isMissing;
      if (isLost)
        ++lost[static_cast<std::size_t>(p.prop[i])];
      else
        kept.push_back(static_cast<std::uint32_t>(i));
    }
    for (std::size_t k = 0; k < lost.size(); ++k) {
      if (lost[k] == 0) continue;
      const std::string what = fmt::format("{}: {} placements need {}, whose file could not be read", layer.name,
                                           lost[k], p.kit->entries[k].prop->name);
      if (!options.isWithoutMissing)
        return fail(ProblemCode::FileMissing, what, "Fix it in the Kit, or choose to export without what is missing",
                    path);
      warn(report, what + "; they were left out", "Fix it in the Kit and export again");
    }
    if (kept.size() == p.count) continue;
    layer.points = std::make_shared<const Points>(gathered(p, kept));
    if (layer.over) layer.over = gathered(*layer.over, kept);
  }
  return out;
}

/// What points and props carry and the format has no place for.
void tellDropped(exporters::Job& job) {
  const bool isObj = job.path.ends_with(".obj");
  const bool isReal = isObj || ((job.path.ends_with(".glb") || job.path.ends_with(".gltf")) &&
                                job.options.gltfWay == GltfWay::Mesh);
  std::set<std::string> ofPoints;
  std::set<std::string> ofVertices;
  const auto lookAt = [&](const Surface& s) {
    for (const auto& [name, column] : s.vertexAttributes) ofVertices.insert(name);
  };
  for (const exporters::Group& g : job.groups) {
    for (const std::string& name : job.options.attributes)
      if (name != kTint && name != kOwnColor && name != kOwnColorShare && g.layer->points->attributes.contains(name))
        ofPoints.insert(name);
    lookAt(*g.prop->surface);
  }
  for (const exporters::Solid& solid : job.solids) lookAt(*solid.surface);
  std::set<std::string> writtenOut;
  for (const exporters::Group& g : job.groups)
    if (isReal && g.prop->delivery) writtenOut.insert(g.prop->name);
  if (!writtenOut.empty())
    warn(job.report,
         fmt::format("real geometry names no files: what is delivered by reference is written out: {}",
                     fmt::join(writtenOut, ", ")),
         "Export instances or nodes as glTF, or USD");
  if (isReal && !ofPoints.empty())
    warn(job.report, fmt::format("real geometry has no place for attributes of points: {}", fmt::join(ofPoints, ", ")),
         "Export instances, nodes or a table for them");
  if (isObj && !ofVertices.empty())
    warn(job.report, fmt::format("OBJ has no place for numbers at vertices: {}", fmt::join(ofVertices, ", ")),
         "Export glTF or USD for them");
}

}  // namespace

const std::vector<ExportFormat>& exportFormats() {
  static const std::vector<ExportFormat> formats{{".glb", "glTF, one file"}, {".gltf", "glTF, text and data"},
                                                 {".usda", "USD, text"},     {".csv", "CSV table"},
                                                 {".ply", "PLY points"},     {".obj", "OBJ mesh"},
                                                 {".vdb", "VDB volumes"}};
  return formats;
}

bool holdsFrames(const std::string& path) {
  const auto ends = [&](const char* ending) { return endsWith(path, ending); };
  return ends(".usda") || ends(".glb") || ends(".gltf") || ends(".csv") || ends(".ply");
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

std::string exporters::uniqueColumn(std::set<std::string>& taken, const std::string& wanted) {
  std::string name = wanted;
  for (int n = 2; !taken.insert(name).second; ++n) name = fmt::format("{}_{}", wanted, n);
  return name;
}

Vec3 exporters::heldColor(ExportReport& report, const Vec3& color) {
  const Vec3 held = glm::clamp(color, Vec3(0), Vec3(1));
  if (glm::any(glm::greaterThan(color - held, Vec3(1e-4F)))) report.isBrightnessCut = true;
  return held;
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

Result<ExportReport> exportLayers(const std::vector<ExportLayer>& given, const std::string& path,
                                  const ExportOptions& options, const Task& task) {
  ExportReport report;
  const auto checked = writable(given, options, path, report);
  if (!checked) return Failure(checked.error());
  const std::vector<ExportLayer>& layers = *checked;
  ExportOptions how = options;
  std::set<std::string> carried;
  for (const ExportLayer& layer : layers)
    if (layer.points)
      for (const auto& [name, column] : layer.points->attributes) carried.insert(name);
  const std::vector<std::string> names(carried.begin(), carried.end());
  const Patterns wanted(fmt::format("{}", fmt::join(options.attributes, ";")));
  std::vector<std::string> typed;
  for (const std::string& name : names) typed.push_back(asTyped(name));
  how.attributes.clear();
  std::copy_if(names.begin(), names.end(), std::back_inserter(how.attributes),
               [&](const std::string& name) { return wanted.match(name); });
  for (const std::string& entry : wanted.unmatched(names))
    if (entry != "*")  // all of none is none
      warn(report, fmt::format("no point carries an attribute called \"{}\"", entry),
           names.empty() ? "They carry none" : fmt::format("They carry: {}", fmt::join(typed, "; ")));
  const bool isMoving = std::any_of(layers.begin(), layers.end(),
                                    [](const ExportLayer& l) { return l.over != nullptr; });
  if (isMoving && (!holdsFrames(path) || endsWith(path, ".csv") || endsWith(path, ".ply")))
    return fail(ProblemCode::BadParameter, "a file of this format holds nothing that moves", "Use .usda, .glb or .gltf",
                path);
  if (isMoving && !endsWith(path, ".usda")) {
    if (how.gltfWay == GltfWay::Mesh)
      warn(report, "what moves is written as nodes, not as one mesh", "Write a file per frame for real geometry");
    how.gltfWay = GltfWay::Nodes;
    const bool hasAbsent = std::any_of(layers.begin(), layers.end(), [](const ExportLayer& l) {
      return l.over && std::any_of(l.over->at.begin(), l.over->at.end(), [](const LayerFrames::At& at) {
               return std::find(at.isThere.begin(), at.isThere.end(), 0) != at.isThere.end();
             });
    });
    if (hasAbsent)
      warn(report, "glTF has no visibility: placements that are not there at a frame have size 0 then",
           "Read size 0 as hidden, or export USD");
  }
  if (isMoving && !how.attributes.empty())
    warn(report,
         "attributes and colors do not move: they are those of the frame at which each placement is first there",
         "Write a file per frame for those that change");
  exporters::Job job{{}, {}, {}, {}, path, how, task, report};
  const bool isOfVolumes = endsWith(path, ".vdb");
  std::vector<std::string> leftVolumes;
  std::vector<std::string> leftOthers;
  std::map<std::string, int> used;
  for (const ExportLayer& layer : layers) {
    if ((layer.volume != nullptr) != isOfVolumes) {
      (layer.volume ? leftVolumes : leftOthers).push_back(layer.name);
      continue;
    }
    job.layers.push_back(&layer);
    if (layer.volume) {
      job.titles[&layer] = exporters::uniqueName(used, layer.name);
      ++report.volumes;
      continue;
    }
    if (layer.surface) {
      const std::string& title = job.titles[&layer] = exporters::uniqueName(used, layer.name);
      if (layer.surface->arePartsObjects && layer.surface->parts.size() > 1)
        for (Surface& part : partsOf(*layer.surface)) {
          std::string name = exporters::uniqueName(used, part.name);
          job.solids.push_back({&layer, std::make_shared<const Surface>(std::move(part)), std::move(name), {}});
        }
      else
        job.solids.push_back({&layer, layer.surface, title, {}});
      report.triangles += layer.surface->faceCount();
      ++report.surfaces;
      continue;
    }
    const Points& p = *layer.points;
    job.titles[&layer] = exporters::uniqueName(used, layer.name);
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
           bareAdvice(p.kit != nullptr, "the Output") + "; only CSV and PLY write such points");
    for (std::size_t k = 0; k < byProp.size(); ++k) {
      if (byProp[k].empty()) continue;
      const PropPtr& prop = p.kit->entries[k].prop;
      report.placements += byProp[k].size();
      report.perProp[prop->name] += byProp[k].size();
      report.triangles += byProp[k].size() * prop->surface->faceCount();
      job.groups.push_back(
          {&layer, prop, std::move(byProp[k]), exporters::uniqueName(used, layer.name + " " + prop->name), {}});
    }
  }
  if (isOfVolumes && report.volumes == 0)
    return fail(ProblemCode::WrongInput, "VDB holds volumes, and no output is one",
                "Connect a volume to an Output, or export another format", path);
  if (!leftVolumes.empty())
    warn(report, fmt::format("only VDB holds volumes; left out: {}", fmt::join(leftVolumes, ", ")),
         "Export them as .vdb beside this file");
  if (!leftOthers.empty())
    warn(report, fmt::format("VDB holds volumes only; left out: {}", fmt::join(leftOthers, ", ")),
         "Export them in another format beside this file");
  report.files.push_back(path);
  if (auto done = write(job); !done) return Failure(done.error());
  if (how.hasBodies && isOfVolumes)
    warn(report, "no convex bodies are written beside volumes", "Export the pieces in another format");
  if (how.hasBodies && !isOfVolumes)
    if (auto done = exporters::bodiesBeside(job); !done) return Failure(done.error());
  tellDropped(job);
  if (!report.approximateColors.empty())
    warn(report,
         fmt::format("the colors of points on textured props are said by one factor each: {}",
                     fmt::join(report.approximateColors, ", ")),
         "Texture them in gray, or give them vertex colors, for exact colors");
  if (report.isBrightnessCut)
    warn(report, "some colors are brighter than white, which is all that this file holds; they were cut",
         "Lower Brightness in Vary, or export instances as glTF or USD, which hold them");
  if (options.isVerified && !isOfVolumes) {
    const auto start = std::chrono::steady_clock::now();
    const auto found = readback::read(path, {task.stop, {}});
    if (!found && found.error().code == ProblemCode::Cancelled) {  // the file is there, and whole
      warn(report, "was written, and not read back: canceled", "");
    } else {
      report.faults = found ? readback::differences(readback::expectedOf(job), *found)
                            : std::vector<std::string>{found.error().message};
      report.verifySeconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    }
  }
  for (const std::string& file : report.files) {
    std::error_code error;
    if (const auto size = std::filesystem::file_size(file, error); !error) report.bytes += size;
  }
  if (report.placements == 0 && report.surfaces == 0 && report.withoutProp == 0 && report.volumes == 0)
    warn(report, "nothing was placed: the file is empty", "Look at the yields on the Plan");
  return report;
}

}  // namespace arvesk
