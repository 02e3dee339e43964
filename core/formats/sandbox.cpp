#include "core/formats/sandbox.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <linux/audit.h>
#include <linux/filter.h>
#include <linux/landlock.h>
#include <linux/seccomp.h>
#include <sys/prctl.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstddef>
#include <cstdint>
#include <filesystem>

namespace arvesk {
namespace {

namespace fs = std::filesystem;

// Rights that later versions of Landlock know (kernel documentation, userspace-api/landlock).
constexpr std::uint64_t kRefer = 1ULL << 13;     // version 2
constexpr std::uint64_t kTruncate = 1ULL << 14;  // version 3

/// What the kernel starts programs with.
#if defined(__aarch64__)
constexpr const char* kLoader = "/lib/ld-linux-aarch64.so.1";
#else
constexpr const char* kLoader = "/lib64/ld-linux-x86-64.so.2";
#endif

int landlockVersion() {
  const long version = ::syscall(SYS_landlock_create_ruleset, nullptr, 0, LANDLOCK_CREATE_RULESET_VERSION);
  return version > 0 ? static_cast<int>(version) : 0;
}

bool hasSeccomp() {
  const std::uint32_t action = SECCOMP_RET_ERRNO;
  return ::syscall(SYS_seccomp, SECCOMP_GET_ACTION_AVAIL, 0, &action) == 0;
}

void open(int ruleset, const std::string& path, std::uint64_t rights) {
  const int at = ::open(path.c_str(), O_PATH | O_CLOEXEC);
  if (at < 0) return;  // what is not there needs no right
  std::error_code fault;
  constexpr std::uint64_t kOfFiles = LANDLOCK_ACCESS_FS_READ_FILE | LANDLOCK_ACCESS_FS_WRITE_FILE |
                                     LANDLOCK_ACCESS_FS_EXECUTE | kTruncate;
  if (!fs::is_directory(path, fault)) rights &= kOfFiles;
  landlock_path_beneath_attr rule{};
  rule.allowed_access = rights;
  rule.parent_fd = at;
  ::syscall(SYS_landlock_add_rule, ruleset, LANDLOCK_RULE_PATH_BENEATH, &rule, 0);
  ::close(at);
}

void shutFiles(const SandboxPlaces& places) {
  const int version = landlockVersion();
  if (version == 0) return;
  constexpr std::uint64_t kRead = LANDLOCK_ACCESS_FS_READ_FILE | LANDLOCK_ACCESS_FS_READ_DIR;
  std::uint64_t all = kRead | LANDLOCK_ACCESS_FS_EXECUTE | LANDLOCK_ACCESS_FS_WRITE_FILE |
                      LANDLOCK_ACCESS_FS_REMOVE_DIR | LANDLOCK_ACCESS_FS_REMOVE_FILE | LANDLOCK_ACCESS_FS_MAKE_CHAR |
                      LANDLOCK_ACCESS_FS_MAKE_DIR | LANDLOCK_ACCESS_FS_MAKE_REG | LANDLOCK_ACCESS_FS_MAKE_SOCK |
                      LANDLOCK_ACCESS_FS_MAKE_FIFO | LANDLOCK_ACCESS_FS_MAKE_BLOCK | LANDLOCK_ACCESS_FS_MAKE_SYM;
  if (version >= 2) all |= kRefer;
  if (version >= 3) all |= kTruncate;
  landlock_ruleset_attr attributes{};
  attributes.handled_access_fs = all;
  const int ruleset = static_cast<int>(
      ::syscall(SYS_landlock_create_ruleset, &attributes, sizeof attributes.handled_access_fs, 0));
  if (ruleset < 0) return;
  for (const char* system : {"/usr", "/lib", "/lib64", "/etc/ld.so.cache", "/proc/self", "/sys/devices/system",
                             "/sys/fs/cgroup", "/dev/null", "/dev/zero", "/dev/urandom"})
    open(ruleset, system, kRead | (std::string(system) == "/dev/null" ? LANDLOCK_ACCESS_FS_WRITE_FILE : 0));
  for (const std::string& folder : places.readable) open(ruleset, folder, kRead);
  open(ruleset, places.writable,
       (kRead | LANDLOCK_ACCESS_FS_WRITE_FILE | LANDLOCK_ACCESS_FS_MAKE_REG | LANDLOCK_ACCESS_FS_REMOVE_FILE |
        LANDLOCK_ACCESS_FS_MAKE_DIR | LANDLOCK_ACCESS_FS_REMOVE_DIR | kRefer | kTruncate) &
           all);
  if (!places.executable.empty())
    for (const std::string& program : {places.executable, std::string(kLoader)})
      open(ruleset, program, LANDLOCK_ACCESS_FS_READ_FILE | LANDLOCK_ACCESS_FS_EXECUTE);
  ::syscall(SYS_landlock_restrict_self, ruleset, 0);
  ::close(ruleset);
}

/// System calls that reading a file never needs are answered with "not permitted".
void shutCalls(bool mayStart) {
  constexpr std::array kRefused{SYS_socket,
                                SYS_connect,
                                SYS_bind,
                                SYS_listen,
                                SYS_accept,
                                SYS_accept4,
                                SYS_sendto,
                                SYS_sendmsg,
                                SYS_ptrace,
                                SYS_process_vm_readv,
                                SYS_process_vm_writev,
                                SYS_mount,
                                SYS_umount2,
                                SYS_pivot_root,
                                SYS_chroot,
                                SYS_setns,
                                SYS_unshare,
                                SYS_bpf,
                                SYS_perf_event_open,
                                SYS_keyctl,
                                SYS_add_key,
                                SYS_request_key,
                                SYS_init_module,
                                SYS_finit_module,
                                SYS_delete_module,
                                SYS_kexec_load,
                                SYS_io_uring_setup,
                                SYS_userfaultfd,
                                SYS_open_by_handle_at,
                                SYS_kill};
#if defined(__x86_64__)
  constexpr std::uint32_t kMachine = AUDIT_ARCH_X86_64;
  constexpr std::uint32_t kOtherCalls = 0x40000000U;  // those of x32
#elif defined(__aarch64__)
  constexpr std::uint32_t kMachine = AUDIT_ARCH_AARCH64;
  constexpr std::uint32_t kOtherCalls = 0xffffffffU;
#else
  return;
#endif
  const auto step = [](std::uint16_t code, std::uint32_t k, std::uint8_t yes = 0, std::uint8_t no = 0) {
    return sock_filter{code, yes, no, k};
  };
  constexpr std::uint16_t kLoad = BPF_LD | BPF_W | BPF_ABS;
  constexpr std::uint16_t kIsEqual = BPF_JMP | BPF_JEQ | BPF_K;
  constexpr std::uint16_t kIsAtLeast = BPF_JMP | BPF_JGE | BPF_K;
  constexpr std::uint16_t kReturn = BPF_RET | BPF_K;
  std::vector<sock_filter> filter;
  filter.push_back(step(kLoad, offsetof(seccomp_data, arch)));
  filter.push_back(step(kIsEqual, kMachine, 1, 0));
  filter.push_back(step(kReturn, SECCOMP_RET_KILL_PROCESS));
  filter.push_back(step(kLoad, offsetof(seccomp_data, nr)));
  filter.push_back(step(kIsAtLeast, kOtherCalls, 0, 1));
  filter.push_back(step(kReturn, SECCOMP_RET_ERRNO | EPERM));
  const auto refuse = [&](long call) {
    filter.push_back(step(kIsEqual, static_cast<std::uint32_t>(call), 0, 1));
    filter.push_back(step(kReturn, SECCOMP_RET_ERRNO | EPERM));
  };
  for (const long call : kRefused) refuse(call);
  if (!mayStart)  // else Landlock says which
    for (const long call : {SYS_execve, SYS_execveat}) refuse(call);
  filter.push_back(step(kReturn, SECCOMP_RET_ALLOW));
  const sock_fprog program{static_cast<unsigned short>(filter.size()), filter.data()};
  ::prctl(PR_SET_SECCOMP, SECCOMP_MODE_FILTER, &program);
}

fs::path behindLinks(const std::string& path) {
  std::error_code fault;
  fs::path out = fs::weakly_canonical(fs::absolute(path, fault), fault);
  return fault ? fs::path() : out;
}

}  // namespace

void enterSandbox(const SandboxPlaces& places) {
  ::prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0);
  shutFiles(places);
#ifndef ARVESK_SANITIZED  // leaks are looked for by a tracer
  shutCalls(!places.executable.empty());
#endif
}

std::string sandboxName() {
  const int version = landlockVersion();
  std::string out = version > 0 ? fmt::format("Landlock {}", version) : std::string();
  if (hasSeccomp()) out += out.empty() ? "seccomp" : ", seccomp";
  return out.empty() ? "none" : out;
}

bool isWithin(const std::string& path, const std::vector<std::string>& folders) {
  const fs::path real = behindLinks(path);
  if (real.empty()) return false;
  return std::any_of(folders.begin(), folders.end(), [&](const std::string& folder) {
    const fs::path at = behindLinks(folder);
    if (folder.empty() || at.empty()) return false;
    const auto [f, p] = std::mismatch(at.begin(), at.end(), real.begin(), real.end());
    return f == at.end();
  });
}

}  // namespace arvesk
