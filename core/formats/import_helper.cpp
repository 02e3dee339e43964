#include "core/formats/import_helper.h"

#include "core/base/memory.h"
#include "core/formats/own_words.h"
#include "core/formats/sandbox.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <spawn.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <chrono>
#include <csignal>
#include <cstring>
#include <filesystem>
#include <future>
#include <limits>
#include <mutex>
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

constexpr int kNotWritten = 3;

/// What reading a file may take; a loop that a damaged file causes ends there.
std::uint64_t processorSeconds(const std::string& path) { return 30 + sizeOf(path) / (2 * kMegabyte); }

/// Why a helper ended in the middle.
Problem stopped(int status) {
  if (WIFSIGNALED(status) && WTERMSIG(status) == SIGXCPU)
    return problem(ProblemCode::HelperFailed, "takes more work to read than a file of its size should",
                   "It may be damaged: export it again");
  if (WIFSIGNALED(status) && WTERMSIG(status) == SIGKILL)
    return problem(ProblemCode::HelperFailed,
                   "could not be read: the system stopped the reader, most likely for want of memory",
                   "Close what takes memory and try again, or make the file smaller");
  return problem(ProblemCode::HelperFailed,
                 "could not be read: the reader stopped in the middle (damaged file, or too little memory)",
                 "Export the file again, or make it smaller");
}

struct OwnFolder {
  std::filesystem::path path;
  ~OwnFolder() {
    std::error_code error;
    if (!path.empty()) std::filesystem::remove_all(path, error);
  }
};

/// Ends readers that are not wanted any more. The system takes its time to take back what they hold: nobody waits but
/// the end of the program.
class Ender {
 public:
  void end(pid_t child, OwnFolder& own) {
    ::kill(child, SIGKILL);
    const auto rest = [child, folder = std::exchange(own.path, {})] {
      const OwnFolder gone{folder};
      int status = 0;
      ::waitpid(child, &status, 0);
    };
    const std::lock_guard lock(m_mutex);
    std::erase_if(m_ending,
                  [](const auto& one) { return one.wait_for(std::chrono::seconds(0)) == std::future_status::ready; });
    try {
      m_ending.push_back(std::async(std::launch::async, rest));
    } catch (const std::system_error&) {  // no more threads
      rest();
    }
  }

 private:
  std::mutex m_mutex;
  std::vector<std::future<void>> m_ending;  // waited for when they go
};

void limit(int resource, std::uint64_t most) {
  const rlimit wanted{most, resource == RLIMIT_CPU ? RLIM_INFINITY : most};  // what a file holds may ask for more
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

std::vector<std::string> foldersOpenTo(const std::string& path, const std::vector<std::string>& allowed) {
  namespace fs = std::filesystem;
  std::error_code error;
  const fs::path full = fs::absolute(path, error);
  std::vector<std::string> out{full.parent_path().string()};
  const fs::path real = fs::canonical(full, error);
  if (!error && real.parent_path() != full.parent_path()) out.push_back(real.parent_path().string());
  for (const std::string& folder : allowed)
    if (!folder.empty()) out.push_back(fs::absolute(folder, error).string());
  return out;
}

Result<HelperEnd> runImportHelper(AssetKind kind, const std::string& path, const std::string& outcomePath,
                                  const Task& task, const HelperPlaces& places) {
  std::error_code error;
  if (!std::filesystem::is_regular_file(path, error))  // a pipe would be waited for
    return fail(ProblemCode::FileMissing, "there is no such file", "Put the file back, or choose another on the Bench",
                path);
  // A folder of its own is all that it may write to.
  const std::filesystem::path own = outcomePath + ".d";
  std::filesystem::remove_all(own, error);
  if (!std::filesystem::create_directory(own, error)) return HelperEnd::NotWritten;
  OwnFolder gone{own};
  std::string program = helperPath(kind, places.helpers);
  std::vector<std::string> words{program};
  for (const std::string& folder : foldersOpenTo(path, places.allowed)) words.insert(words.end(), {"--see", folder});
  words.insert(words.end(), {path, (own / "outcome").string()});
  std::vector<char*> arguments;
  for (std::string& word : words) arguments.push_back(word.data());
  arguments.push_back(nullptr);
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_addopen(&actions, 1, "/dev/null", O_WRONLY, 0);
  posix_spawn_file_actions_addopen(&actions, 2, "/dev/null", O_WRONLY, 0);
  pid_t child = 0;
  const int started = ::posix_spawn(&child, program.c_str(), &actions, nullptr, arguments.data(), environ);
  posix_spawn_file_actions_destroy(&actions);
  if (started != 0)
    return fail(ProblemCode::HelperFailed,
                fmt::format("the import helper {} could not be started: {}", program, std::strerror(started)),
                "Try again when the machine has less to do, or install the application again", path);
  int status = 0;
  auto pause = std::chrono::microseconds(200);
  while (::waitpid(child, &status, WNOHANG) == 0) {
    if (task.isCancelled()) {
      static Ender ender;
      ender.end(child, gone);
      return Failure(cancelled());
    }
    std::this_thread::sleep_for(pause);
    pause = std::min(pause * 2, std::chrono::microseconds(10000));
  }
  if (WIFEXITED(status) && WEXITSTATUS(status) == 0) {
    std::filesystem::rename(own / "outcome", outcomePath, error);
    return error ? HelperEnd::NotWritten : HelperEnd::Written;
  }
  if (WIFEXITED(status) && WEXITSTATUS(status) == kNotWritten) return HelperEnd::NotWritten;
  Problem p = stopped(status);
  p.where = path;
  return Failure(p);
}

namespace {

using Read = void (*)(const std::string& path, ImportOutcome& outcome, ReadFiles& files);

/// What the reader was not let into, and what to do about it.
void tellRefused(const std::vector<ReadFile>& files, ImportOutcome& outcome) {
  for (const ReadFile& file : files)
    if (file.hash == kNotAllowed && std::filesystem::exists(file.path))
      outcome.warnings.push_back({ProblemCode::FileMissing,
                                  Severity::Warning,
                                  {},
                                  fmt::format("{} lies outside of the folders of the file and of the plan and was not "
                                              "read",
                                              file.path),
                                  "Allow its folder (File, Missing files; --allow for the command line), or put it "
                                  "beside"});
}

int readOne(const std::string& path, const std::string& outcomePath, Read read, const std::vector<std::string>& folders,
            const std::string& executable) {
  setMemoryLimit(std::numeric_limits<std::size_t>::max());  // it has a limit by what it reads
  limit(RLIMIT_CORE, 0);
  limit(RLIMIT_CPU, processorSeconds(path));
#ifndef ARVESK_SANITIZED
  const rlimit memory{1024 * kMegabyte + 48 * sizeOf(path), RLIM_INFINITY};
  ::setrlimit(RLIMIT_AS, &memory);
#endif
  const std::string own = std::filesystem::path(outcomePath).parent_path().string();
  ::setenv("TMPDIR", own.c_str(), 1);
  std::vector<std::string> readable = folders.empty() ? foldersOpenTo(path, {}) : folders;
  enterSandbox({readable, own, executable});
  ImportOutcome outcome;
  ReadFiles files;
  files.allowOnly(std::move(readable));
  files.note(path);
  try {
    read(path, outcome, files);
  } catch (const std::exception& e) {
    outcome.failure = problem(ProblemCode::FileUnreadable, fmt::format("cannot be read: {}", inOwnWords(e)),
                              "Export the file again");
  }
  auto opened = files.finished();
  if (!opened) {
    outcome = {};
    outcome.failure = opened.error();
  } else {
    outcome.files = std::move(*opened);
    if (!outcome.failure) tellRefused(outcome.files, outcome);
  }
  return writeOutcome(outcome, outcomePath) ? 0 : kNotWritten;
}

}  // namespace

void expectDecoded(std::uint64_t bytes) {
  const auto raise = [](auto resource, std::uint64_t by) {
    rlimit now{};
    if (::getrlimit(resource, &now) != 0 || now.rlim_cur == RLIM_INFINITY) return;
    now.rlim_cur += by;
    ::setrlimit(resource, &now);
  };
  raise(RLIMIT_AS, 2 * bytes + 256 * kMegabyte);  // once more while it is handed over
  raise(RLIMIT_CPU, bytes / (16 * kMegabyte));
}

int importHelperMain(int argc, char** argv, Read read, std::optional<AssetKind> starts) {
  ::close_range(3, ~0U, 0);  // what the application has open is none of its business
  const std::string executable = starts ? helperPath(*starts, {}) : std::string();
  int first = 1;
  std::vector<std::string> folders;
  for (; first + 1 < argc && std::string_view(argv[first]) == "--see"; first += 2)
    folders.emplace_back(argv[first + 1]);
  const int files = argc - first;
  if (files < 2 || files % 2 == 1) return 2;
  if (files == 2) return readOne(argv[first], argv[first + 1], read, folders, executable);
  for (int i = first; i + 1 < argc; i += 2) {
    const pid_t child = ::fork();
    if (child == 0) ::_exit(readOne(argv[i], argv[i + 1], read, folders, executable));
    int status = 0;
    if (child > 0 && ::waitpid(child, &status, 0) == child && WIFEXITED(status) && WEXITSTATUS(status) == 0) continue;
    ImportOutcome outcome;
    outcome.failure = child < 0 ? problem(ProblemCode::HelperFailed, "could not be read: no process could be started",
                                          "Try again when the machine has less to do")
                                : stopped(status);
    if (!writeOutcome(outcome, argv[i + 1])) return 1;
  }
  return 0;
}

}  // namespace arvesk
