// Reading assets in a process of its own, with limits on time and memory: a broken or hostile file gives a message and
// never takes the application down.
#pragma once

#include "core/base/task.h"
#include "core/formats/asset_cache.h"

namespace arvesk {

enum class AssetKind { Mesh, Image, Volume };
/// "mesh", as the helper that reads it is called.
const char* assetKindName(AssetKind kind);

enum class HelperEnd { Written, NotWritten };  // NotWritten: there was no room for its outcome, or no right to write

/// Runs the helper on `path`; its outcome is left at `outcomePath`. The helpers lie in `helperFolder`, beside the
/// running program when that is empty. Fails when it crashed, or took more memory or processor time than a file of that
/// size may. How long it waits for a busy machine does not count.
Result<HelperEnd> runImportHelper(AssetKind kind, const std::string& path, const std::string& outcomePath,
                                  const Task& task, const std::string& helperFolder = {});

/// In a helper: what comes of the file is as large, whatever its own size is; the limits go by it.
void expectDecoded(std::uint64_t bytes);

/// What a helper process does (arguments: file, outcome): sets its own limits, reads, writes the outcome. Returns the
/// exit status. With several pairs of arguments each file is read by a child of its own, so that libraries load once; a
/// child that crashes or goes beyond its limits leaves an outcome that says so.
int importHelperMain(int argc, char** argv,
                     void (*read)(const std::string& path, ImportOutcome& outcome, ReadFiles& files));

}  // namespace arvesk
