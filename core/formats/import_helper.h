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

/// Where helpers lie (empty: beside the running program), and the folders in which they may look for files beside those
/// that the named one lies in.
struct HelperPlaces {
  std::string helpers;
  std::vector<std::string> allowed;
};

/// The folders that a reader of the file may look into, with all below them: its own, behind links too, and `allowed`.
std::vector<std::string> foldersOpenTo(const std::string& path, const std::vector<std::string>& allowed);

/// Runs the helper on `path`; its outcome is left at `outcomePath`. Fails when it crashed, or took more memory or
/// processor time than a file of that size may. How long it waits for a busy machine does not count.
Result<HelperEnd> runImportHelper(AssetKind kind, const std::string& path, const std::string& outcomePath,
                                  const Task& task, const HelperPlaces& places = {});

/// In a helper: what comes of the file is as large, whatever its own size is; the limits go by it.
void expectDecoded(std::uint64_t bytes);

/// What a helper process does (arguments: --see FOLDER for each that it may look into, file, outcome): sets its own
/// limits, shuts itself in (sandbox.h), reads, writes the outcome into the folder where that is to be. Returns the
/// exit status. With several pairs of arguments each file is read by a child of its own, so that libraries load once; a
/// child that crashes or goes beyond its limits leaves an outcome that says so.
/// `starts`: the helper that this one starts in turn; no other program may be.
int importHelperMain(int argc, char** argv,
                     void (*read)(const std::string& path, ImportOutcome& outcome, ReadFiles& files),
                     std::optional<AssetKind> starts = {});

}  // namespace arvesk
