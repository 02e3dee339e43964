#include "cli/tile_jobs.h"

#include "cli/runner.h"
#include "core/base/safe_file.h"

#include <fmt/format.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <set>
#include <sstream>
#include <thread>

namespace arvesk::cli {
namespace {

namespace fs = std::filesystem;
constexpr std::size_t kShorter = 8;       // lists of lost tiles are so many times shorter each round
constexpr std::size_t kMostLists = 1000;  // at a time: Slurm takes arrays of up to 1,001 (MaxArraySize)

std::vector<char*> argumentsOf(std::vector<std::string>& words) {
  std::vector<char*> out;
  for (std::string& word : words) out.push_back(word.data());
  out.push_back(nullptr);
  return out;
}

std::vector<std::string> wordsOf(const Sending& sending, const std::string& share, const std::string& threads) {
  std::vector<std::string> out = sending.command;
  out.insert(out.end(), {"--share", share, "--threads", threads});
  return out;
}

std::string howItEnded(int how) {
  if (WIFSIGNALED(how)) return fmt::format("its process was ended by signal {}", WTERMSIG(how));
  return WEXITSTATUS(how) == 0 ? "" : fmt::format("its process ended with status {}", WEXITSTATUS(how));
}

class Processes final : public Workers {
 public:
  explicit Processes(Sending sending) : m_sending(std::move(sending)) {}

  Result<std::map<std::size_t, std::string>> work(const std::string& lists, std::size_t count) override {
    std::map<std::size_t, std::string> ends;
    std::map<pid_t, std::size_t> running;
    for (std::size_t next = 0; next < count || !running.empty();) {
      if (next < count && running.size() < m_sending.atOnce) {
        auto words = wordsOf(m_sending, fmt::format("{}:{}", lists, next), std::to_string(m_sending.threads));
        pid_t child = 0;
        const int fault = ::posix_spawn(&child, "/proc/self/exe", nullptr, nullptr, argumentsOf(words).data(), environ);
        if (fault == 0) {
          running.emplace(child, next++);
          continue;
        }
        if (running.empty())
          return fail(ProblemCode::WriteFailed,
                      "a process could not be started: " + std::generic_category().message(fault),
                      "Close other programs, then run the same command again: what is done stays");
      }
      int how = 0;
      const pid_t child = ::waitpid(-1, &how, 0);
      if (child < 0 && errno == EINTR) continue;
      const auto ended = running.find(child);
      if (ended == running.end()) continue;
      if (const std::string words = howItEnded(how); !words.empty()) ends[ended->second] = words;
      running.erase(ended);
    }
    return ends;
  }

 private:
  Sending m_sending;
};

std::string quoted(const std::string& word) {
  std::string out = "'";
  for (const char c : word) out += c == '\'' ? std::string("'\\''") : std::string(1, c);
  return out + "'";
}

struct Said {
  bool isDone = false;
  std::string text;  // both streams, without the last line end
};
Said said(const std::string& command) {
  Said out;
  FILE* pipe = ::popen((command + " 2>&1").c_str(), "r");
  if (!pipe) return {false, std::generic_category().message(errno)};
  char part[4096];
  for (std::size_t n = 0; (n = std::fread(part, 1, sizeof part, pipe)) > 0;) out.text.append(part, n);
  out.isDone = ::pclose(pipe) == 0;
  while (!out.text.empty() && out.text.back() == '\n') out.text.pop_back();
  return out;
}

class SlurmArrays final : public Workers {
 public:
  explicit SlurmArrays(Sending sending) : m_sending(std::move(sending)) {}

  Result<bool> waitForEarlier() override {
    const Said now = said(queued());
    if (!now.isDone)
      return fail(ProblemCode::FileMissing, "Slurm does not answer: " + now.text,
                  "Its commands sbatch and squeue have to work on this machine, or use --on local");
    if (now.text.empty()) return false;
    wait();
    return true;
  }

  Result<std::map<std::size_t, std::string>> work(const std::string& lists, std::size_t count) override {
    const std::string script = m_sending.folder + "/share.sh";
    std::string text = "#!/bin/sh\nexec";
    for (const std::string& word : m_sending.command) text += " " + quoted(word);
    text += fmt::format(" --quiet --share {}:\"$SLURM_ARRAY_TASK_ID\" --threads \"${{SLURM_CPUS_PER_TASK:-1}}\"\n",
                        quoted(lists));
    if (auto ok = writeWhole(script, text); !ok) return Failure(ok.error());
    const std::string logs = m_sending.folder + "/%A_%a.log";
    std::string command = fmt::format("sbatch --parsable --requeue --job-name={} --array=0-{} --output={}",
                                      m_sending.name, count - 1, quoted(logs));
    for (const std::string& option : m_sending.options) command += " " + quoted(option);
    const Said sent = said(command + " " + quoted(script));
    if (!sent.isDone)
      return fail(ProblemCode::WriteFailed, "Slurm did not take the jobs: " + sent.text,
                  "Change --partition, --jobs or --sbatch, then run the same command again: what is done stays");
    wait();
    // The last line, "12" or "12;cluster", after what it warns of.
    const std::string last = sent.text.substr(sent.text.rfind('\n') + 1);
    const std::string job = last.substr(0, last.find_first_not_of("0123456789"));
    std::map<std::size_t, std::string> ends;
    std::istringstream states(said("squeue --noheader --states=all --format='%K %T (%r)' --jobs=" + job).text);
    for (std::string line; std::getline(states, line);) {
      std::size_t list = 0;
      std::istringstream words(line);
      if (words >> list && std::getline(words >> std::ws, line) && !line.starts_with("COMPLETED")) ends[list] = line;
    }
    for (std::size_t k = 0; k < count; ++k)
      if (std::string words = lastLineOf(fmt::format("{}/{}_{}.log", m_sending.folder, job, k)); !words.empty())
        ends[k] = std::move(words);
    return ends;
  }

 private:
  Sending m_sending;

  std::string queued() const { return "squeue --noheader --format=%i --name=" + m_sending.name; }

  /// Until no job of this name is there any more, however long that takes. A silent engine is told once.
  void wait() const {
    constexpr std::chrono::milliseconds kLongest(10'000);
    bool isTold = false;
    for (std::chrono::milliseconds pause(250);; pause = std::min(2 * pause, kLongest)) {
      m_sending.look();
      const Said now = said(queued());
      if (now.isDone && now.text.empty()) return;
      if (!now.isDone && !isTold)
        printProblem(problem(ProblemCode::FileMissing, "Slurm does not answer: " + now.text,
                             "Waiting until it does; the jobs that it has go on without this program"));
      isTold = !now.isDone;
      std::this_thread::sleep_for(pause);
    }
  }

  static std::string lastLineOf(const std::string& file) {
    std::ifstream in(file);
    std::string last;
    for (std::string line; std::getline(in, line);)
      if (!line.empty()) last = line;
    return last;
  }
};

Result<void> writeLists(const std::string& file, const std::vector<std::string>& names, std::size_t count) {
  std::vector<std::string> lists(count);
  for (std::size_t i = 0; i < names.size(); ++i) lists[i % count] += (i < count ? "" : " ") + names[i];
  std::string text;
  for (const std::string& list : lists) text += list + "\n";
  return writeWhole(file, text);
}

}  // namespace

std::unique_ptr<Workers> processesHere(Sending sending) { return std::make_unique<Processes>(std::move(sending)); }
std::unique_ptr<Workers> slurmArrays(Sending sending) { return std::make_unique<SlurmArrays>(std::move(sending)); }

Result<void> sendTiles(Workers& workers, const TileOrder& order, std::vector<std::string> names, const std::string& key,
                       const std::string& folder, std::size_t lists) {
  const auto takeDone = [&] {
    std::erase_if(names, [&](const std::string& name) { return tileRecord(order, name, key).has_value(); });
  };
  const auto earlier = workers.waitForEarlier();
  if (!earlier) return Failure(earlier.error());
  if (*earlier) takeDone();
  std::error_code fault;
  fs::create_directories(folder, fault);  // what is wrong is said by who writes there
  std::map<std::string, int> lostAlone;
  int idle = 0;  // rounds one after the other
  std::size_t length = (names.size() + lists - 1) / lists;
  while (!names.empty()) {
    const std::size_t before = names.size();
    const std::vector<std::string> sent(
        names.begin(), names.begin() + static_cast<std::ptrdiff_t>(std::min(names.size(), kMostLists * length)));
    const std::size_t count = (sent.size() + length - 1) / length;
    const std::string file = folder + "/lists.txt";
    if (auto ok = writeLists(file, sent, count); !ok) return Failure(ok.error());
    const auto ends = workers.work(file, count);
    if (!ends) return Failure(ends.error());
    takeDone();
    const std::set<std::string> left(names.begin(), names.end());
    std::map<std::string, std::size_t> why;
    for (std::size_t i = 0; i < sent.size(); ++i) {
      if (!left.contains(sent[i])) continue;
      const auto end = ends->find(i % count);
      const std::string words = end == ends->end() ? "it ended without a word" : end->second;
      if (length > 1 || ++lostAlone[sent[i]] < 2)
        ++why[words];
      else if (auto ok = recordFailure(order, sent[i], key, "lost twice, alone: " + words); !ok)
        return Failure(ok.error());
    }
    takeDone();  // what has failed for good, too
    for (const auto& [words, lost] : why)
      printProblem({ProblemCode::Waiting, Severity::Warning, "tiles",
                    fmt::format("{} tile{} lost: {}", lost, lost == 1 ? " was" : "s were", words), "Sent again"});
    if (!why.empty()) length = std::max<std::size_t>(1, length / kShorter);
    const bool isNothingDone = left.size() == before && sent.size() > kShorter;
    idle = isNothingDone ? idle + 1 : 0;
    if (idle == 2 && !names.empty())
      return fail(ProblemCode::WriteFailed,
                  fmt::format("nobody gets anything done: {}", why.empty() ? "lost" : why.begin()->first),
                  "The plan, its files and the folder have to be there, by the same paths, for all who work");
  }
  return {};
}

Result<std::vector<std::string>> listIn(const std::string& file, std::size_t which) {
  std::ifstream in(file);
  std::string line;
  for (std::size_t k = 0; k <= which; ++k)
    if (!std::getline(in, line))
      return fail(ProblemCode::FileMissing, fmt::format("{} has no line {}", file, which + 1));
  std::istringstream words(line);
  return std::vector<std::string>(std::istream_iterator<std::string>(words), std::istream_iterator<std::string>());
}

}  // namespace arvesk::cli
