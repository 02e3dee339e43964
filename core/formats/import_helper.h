// Reading assets in a process of its own, with limits on time and memory: a broken or hostile file gives a message and
// never takes the application down.
#pragma once

#include "core/base/task.h"
#include "core/formats/asset_cache.h"

namespace arvesk {

enum class AssetKind { Mesh, Image, Volume };
/// "mesh", as the helper that reads it is called.
const char* assetKindName(AssetKind kind);

/// Runs the helper on `path`; its outcome is left at `outcomePath`. The helpers lie in `helperFolder`, beside the
/// running program when that is empty. Fails when it crashed or ran out of time (10 s, and 1 s more per 4 MB of the
/// file).
Result<void> runImportHelper(AssetKind kind, const std::string& path, const std::string& outcomePath, const Task& task,
                             const std::string& helperFolder = {});

/// What a helper process does (arguments: file, outcome): sets its own limits, reads, writes the outcome. Returns the
/// exit status. With several pairs of arguments each file is read by a child of its own, so that libraries load once; a
/// child that crashes or takes over 10 s leaves an outcome that says so.
int importHelperMain(int argc, char** argv, void (*read)(const std::string& path, ImportOutcome& outcome));

}  // namespace arvesk
