// Reads CSV (RFC 4180; commas, semicolons or tabs) with a head line. A column is whole numbers, numbers or text by what
// it holds.
#pragma once

#include "core/base/result.h"
#include "core/base/table.h"
#include "core/base/task.h"

namespace arvesk {

/// Fails, with the line, on rows of another length than the head, on open quotes and on names used twice.
Result<Table> readCsv(const std::string& path, const Task& task);
Result<Table> parseCsv(const std::string& text, const Task& task);

}  // namespace arvesk
