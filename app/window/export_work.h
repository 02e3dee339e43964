// What the export window has done on a thread of its own: a plan worked out at final quality, at one frame or many, and
// its outputs written.
#pragma once

#include "app/window/frame_choice.h"
#include "core/formats/exporter.h"
#include "core/formats/file_service.h"
#include "core/plan/evaluator.h"

namespace arvesk {

struct ExportJob {
  std::shared_ptr<const Plan> plan;
  std::shared_ptr<DiskFileService> files;
  std::vector<std::string> outputs;  // by title
  std::string path;
  ExportOptions how;
  bool hasCovers = false;
  FrameChoice::Way way = FrameChoice::Way::This;
  std::vector<int> frames;
  bool isGoingOn = false;
};

struct ExportDone {
  ExportReport report;     // of many files: their names and bytes, counts of the last one, warnings of all
  std::size_t frames = 1;  // that were written
  std::size_t there = 0;   // whose file was there already and stayed
  std::size_t fewest = 0;  // placements at a frame
  std::size_t most = 0;
};

Result<ExportDone> exported(const ExportJob& job, const Task& task);

}  // namespace arvesk
