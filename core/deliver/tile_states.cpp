#include "core/deliver/tile_states.h"

#include "core/base/safe_file.h"

#include <nlohmann/json.hpp>

#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>
#include <csignal>
#include <fstream>

namespace arvesk {
namespace {

using nlohmann::json;
namespace fs = std::filesystem;

std::string sentPath(const std::string& folder) { return folder + "/sent.json"; }

std::optional<SentTiles> sentIn(const std::string& folder) {
  constexpr std::size_t kLargest = 1 << 20;
  const auto text = readWhole(sentPath(folder), kLargest);
  if (!text) return {};
  try {
    const json in = json::parse(*text);
    SentTiles sent;
    sent.key = in.at("key").get<std::string>();
    sent.ending = in.at("ending").get<std::string>();
    sent.jobs = in.at("jobs").get<std::string>();
    sent.process = in.at("process").get<long>();
    sent.grid.size = in.at("size").get<double>();
    const auto columns = in.at("columns").get<std::array<int, 2>>();
    const auto rows = in.at("rows").get<std::array<int, 2>>();
    sent.grid.fromColumn = columns[0];
    sent.grid.toColumn = columns[1];
    sent.grid.fromRow = rows[0];
    sent.grid.toRow = rows[1];
    const auto side = [](const std::array<int, 2>& ends) { return static_cast<std::int64_t>(ends[1]) - ends[0] + 1; };
    constexpr std::int64_t kMost = 1'000'000;
    if (side(columns) < 1 || side(rows) < 1 || side(columns) > kMost || side(rows) > kMost ||
        side(columns) * side(rows) > kMost || !(sent.grid.size > 0))
      return {};
    return sent;
  } catch (const json::exception&) {
    return {};  // of somebody else
  }
}

/// Is it one of ours, and still at work?
bool isAtWork(long process) {
  if (process <= 1) return false;
  std::ifstream file("/proc/" + std::to_string(process) + "/comm");
  std::string name;
  return std::getline(file, name) && name == "arvesk-run";
}

TileStates::State stateOf(const TileRecord& record, const std::string& key) {
  if (record.key != key) return TileStates::State::Stale;
  switch (record.state) {
    case TileRecord::State::Done: return TileStates::State::Done;
    case TileRecord::State::Empty: return TileStates::State::Empty;
    case TileRecord::State::Failed: return TileStates::State::Failed;
  }
  return TileStates::State::Failed;
}

}  // namespace

Result<void> writeSent(const TileOrder& order, const SentTiles& sent) {
  const json out{{"arvesk-tiles-sent", 1},
                 {"key", sent.key},
                 {"ending", sent.ending},
                 {"jobs", sent.jobs},
                 {"process", sent.process},
                 {"size", sent.grid.size},
                 {"columns", {sent.grid.fromColumn, sent.grid.toColumn}},
                 {"rows", {sent.grid.fromRow, sent.grid.toRow}}};
  std::error_code fault;
  fs::create_directories(order.folder, fault);  // what is wrong is said by who writes there
  return writeWhole(sentPath(order.folder), out.dump(1) + "\n");
}

std::optional<TileStates> tileStates(const std::string& folder, const TileStates& before) {
  const auto sent = sentIn(folder);
  if (!sent) return {};
  TileStates out;
  out.sent = *sent;
  out.isUnderWay = isAtWork(sent->process);
  out.tiles.resize(sent->grid.count());
  const bool isSameGrid = before.sent.grid == sent->grid && before.tiles.size() == out.tiles.size();
  for (std::size_t t = 0; t < out.tiles.size(); ++t) {
    TileStates::Tile& tile = out.tiles[t];
    const std::string name = sent->grid.nameOf(t);
    std::error_code fault;
    const auto written = fs::last_write_time(recordPath(folder, name), fault);
    if (!fault) {
      if (isSameGrid && before.tiles[t].written == written) {
        tile = before.tiles[t];
      } else if (auto record = readRecord(folder, name)) {
        tile.record = std::move(*record);
        tile.written = written;
      }
      if (!tile.record.name.empty()) tile.state = stateOf(tile.record, sent->key);
    }
    ++out.counts[static_cast<std::size_t>(tile.state)];
    if (tile.state == TileStates::State::Done) out.placements += tile.record.placements;
  }
  return out;
}

void stopSending(const SentTiles& sent) {
  if (!sent.jobs.empty()) {
    std::string program = "scancel";
    std::string name = "--name=" + sent.jobs;
    char* const words[] = {program.data(), name.data(), nullptr};
    pid_t child = 0;
    if (::posix_spawnp(&child, program.c_str(), nullptr, nullptr, words, environ) == 0) ::waitpid(child, nullptr, 0);
  }
  if (!isAtWork(sent.process)) return;
  const auto process = static_cast<pid_t>(sent.process);
  const pid_t group = ::getpgid(process);
  if (group > 1 && group != ::getpgrp())
    ::killpg(group, SIGTERM);  // those that it started belong to it
  else
    ::kill(process, SIGTERM);
}

}  // namespace arvesk
