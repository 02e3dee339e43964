#include "core/formats/import_helper.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <spawn.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <cstring>
#include <filesystem>
#include <thread>

extern char** environ;

namespace arvesk {
namespace {

constexpr std::uint64_t kMegabyte = 1024 * 1024;

std::uint64_t sizeOf(const std::string& path) {
  std::error_code error;
  const auto size = std::filesystem::file_size(path, error);
  return error ? 0 : size;
}

std::string helperPath(AssetKind kind, const std::string& folder) {
  std::error_code error;
  const std::filesystem::path where = folder.empty()
                                          ? std::filesystem::read_symlink("/proc/self/exe", error).parent_path()
                                          : std::filesystem::path(folder);
  return (where / (std::string("arvesk-import-") + assetKindName(kind))).string();
}

void limit(int resource, std::uint64_t most) {
  const rlimit wanted{most, most};
  ::setrlimit(static_cast<__rlimit_resource>(resource), &wanted);
}

}  // namespace

const char* assetKindName(AssetKind kind) {
  switch (kind) {
    case AssetKind::Mesh: return "mesh";
    case AssetKind::Image: return "image";
    case AssetKind::Volume: return "volume";
  }
  return "";
}

Result<void> runImportHelper(AssetKind kind, const std::string& path, const std::string& outcomePath, const Task& task,
                             const std::string& helperFolder) {
  std::string program = helperPath(kind, helperFolder);
  std::string in = path;
  std::string out = outcomePath;
  std::array<char*, 4> arguments{program.data(), in.data(), out.data(), nullptr};
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_addopen(&actions, 1, "/dev/null", O_WRONLY, 0);
  posix_spawn_file_actions_addopen(&actions, 2, "/dev/null", O_WRONLY, 0);
  pid_t child = 0;
  const int error = ::posix_spawn(&child, program.c_str(), &actions, nullptr, arguments.data(), environ);
  posix_spawn_file_actions_destroy(&actions);
  if (error != 0)
    return fail(ProblemCode::HelperFailed,
                fmt::format("the import helper {} could not be started: {}", program, std::strerror(error)),
                "Install the application again", path);

  using Clock = std::chrono::steady_clock;
  const auto deadline = Clock::now() + std::chrono::seconds(10 + sizeOf(path) / (4 * kMegabyte));
  int status = 0;
  auto pause = std::chrono::microseconds(200);
  while (::waitpid(child, &status, WNOHANG) == 0) {
    const bool isLate = Clock::now() > deadline;
    if (isLate || task.isCancelled()) {
      ::kill(child, SIGKILL);
      ::waitpid(child, &status, 0);
      if (!isLate) return Failure(cancelled());
      return fail(ProblemCode::HelperFailed, "took too long to read",
                  "The file may be damaged; export it again or make it smaller", path);
    }
    std::this_thread::sleep_for(pause);
    pause = std::min(pause * 2, std::chrono::microseconds(10000));
  }
  if (WIFEXITED(status) && WEXITSTATUS(status) == 0) return {};
  return fail(ProblemCode::HelperFailed,
              "could not be read: the reader stopped in the middle (damaged file, or too little memory)",
              "Export the file again, or make it smaller", path);
}

namespace {

using Read = void (*)(const std::string& path, ImportOutcome& outcome);

int readOne(const std::string& path, const std::string& outcomePath, Read read) {
  limit(RLIMIT_CORE, 0);
  limit(RLIMIT_CPU, 20 + sizeOf(path) / (4 * kMegabyte));
#ifndef ARVESK_SANITIZED
  limit(RLIMIT_AS, 1024 * kMegabyte + 48 * sizeOf(path));
#endif
  ImportOutcome outcome;
  try {
    read(path, outcome);
  } catch (const std::exception& e) {
    outcome.failure = problem(ProblemCode::FileUnreadable, fmt::format("cannot be read: {}", e.what()),
                              "Export the file again");
  }
  return writeOutcome(outcome, outcomePath) ? 0 : 1;
}

/// Waits for a child at most 10 s.
bool endsWell(pid_t child) {
  const auto deadline = std::chrono::steady_clock::now() + std::chrono::seconds(10);
  int status = 0;
  while (::waitpid(child, &status, WNOHANG) == 0) {
    if (std::chrono::steady_clock::now() > deadline) {
      ::kill(child, SIGKILL);
      ::waitpid(child, &status, 0);
      return false;
    }
    std::this_thread::sleep_for(std::chrono::microseconds(300));
  }
  return WIFEXITED(status) && WEXITSTATUS(status) == 0;
}

}  // namespace

int importHelperMain(int argc, char** argv, Read read) {
  if (argc < 3 || argc % 2 == 0) return 2;
  if (argc == 3) return readOne(argv[1], argv[2], read);
  for (int i = 1; i + 1 < argc; i += 2) {
    const pid_t child = ::fork();
    if (child == 0) ::_exit(readOne(argv[i], argv[i + 1], read));
    if (child > 0 && endsWell(child)) continue;
    ImportOutcome outcome;
    outcome.failure = problem(ProblemCode::HelperFailed,
                              child < 0 ? "could not be read: no process could be started"
                                        : "could not be read: the reader stopped in the middle or took too long",
                              "Export the file again, or make it smaller");
    if (!writeOutcome(outcome, argv[i + 1])) return 1;
  }
  return 0;
}

}  // namespace arvesk
