// The picture of a tool of a library: its file at work, as its first camera sees it.
#pragma once

#include "core/deliver/session.h"
#include "core/formats/library.h"

namespace arvesk {

/// 0xffRRGGBB, row by row from the top.
Result<Array<std::uint32_t>> toolPicture(const LibraryTool& tool, const Session::Settings& settings, int width,
                                         int height, int samples, const Task& task);

}  // namespace arvesk
