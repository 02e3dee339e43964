// Volumes as OpenVDB files.
#include "core/base/safe_file.h"
#include "core/formats/exporter.h"
#include "core/formats/own_words.h"
#include "core/spatial/distance_grid.h"
#include "core/spatial/meshing.h"

#include <fmt/format.h>
#include <openvdb/io/File.h>

namespace arvesk::exporters {
namespace {

using Grid = openvdb::FloatGrid;
constexpr float kBand = 3;  // voxels on each side of a skin, as readers of level sets expect

/// What the file says otherwise than was given to it.
void readBack(const Job& job, const openvdb::GridPtrVec& given) {
  openvdb::io::File file(job.path);
  file.open(false);
  std::size_t inFile = 0;
  for (auto name = file.beginName(); name != file.endName(); ++name) ++inFile;
  if (inFile != given.size()) job.report.faults.push_back(fmt::format("{} grids instead of {}", inFile, given.size()));
  for (const openvdb::GridBase::Ptr& base : given) {
    const auto want = openvdb::GridBase::grid<Grid>(base);
    const auto have = file.hasGrid(want->getName()) ? openvdb::GridBase::grid<Grid>(file.readGrid(want->getName()))
                                                    : nullptr;
    if (!have) {
      job.report.faults.push_back(want->getName() + ": is not in the file");
      continue;
    }
    if (have->activeVoxelCount() != want->activeVoxelCount())
      job.report.faults.push_back(fmt::format("{}: {} voxels instead of {}", want->getName(), have->activeVoxelCount(),
                                              want->activeVoxelCount()));
    if (have->transform() != want->transform()) job.report.faults.push_back(want->getName() + ": lies elsewhere");
    std::size_t other = 0;
    auto access = have->getConstAccessor();
    for (auto value = want->cbeginValueOn(); value; ++value) {
      const float off = std::abs(access.getValue(value.getCoord()) - *value);
      other += off > (job.options.isHalf ? std::abs(*value) / 1024 + 1e-7F : 0);
    }
    if (other > 0) job.report.faults.push_back(fmt::format("{}: {} other values", want->getName(), other));
  }
}

}  // namespace

Result<void> vdb(Job& job) {
  useOpenVdb();
  openvdb::GridPtrVec grids;
  for (const ExportLayer* layer : job.layers) {
    if (!layer->volume) continue;
    Grid::Ptr grid;
    if (layer->volume->hasDensity()) {
      const DensityPtr density = layer->volume->density(job.task);
      if (!density) return Failure(cancelled());
      grid = densityGridOf(*density);
    } else {
      auto distance = distanceGridOf(layer->volume, layer->volume->voxelSize(), kBand, job.task);
      if (!distance) return Failure(distance.error());
      grid = *distance;
    }
    if (job.task.isCancelled()) return Failure(cancelled());
    grid->setName(job.titles.at(layer));
    grid->setSaveFloatAsHalf(job.options.isHalf);
    grid->setCreator("Arvesk");
    grids.push_back(grid);
  }
  const auto failed = [&](const std::string& what) {
    return fail(ProblemCode::WriteFailed, fmt::format("could not be written: {}", what),
                "Choose another folder, or free some room; the old file is as it was", job.path);
  };
  try {
    SafeFile file(job.path);
    if (!file.temporary().empty()) openvdb::io::File(file.temporary()).write(grids);
    if (auto ok = file.commit(); !ok) return ok;
    const auto start = std::chrono::steady_clock::now();
    if (job.options.isVerified) {
      readBack(job, grids);
      job.report.verifySeconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    }
  } catch (const std::exception& e) { return failed(inOwnWords(e)); }
  return {};
}

}  // namespace arvesk::exporters
