// How far tiles in a folder are, for who follows them: from what their processes leave there and nothing else, so that
// whoever follows may come late and go early.
#pragma once

#include "core/deliver/tiles.h"

#include <filesystem>

namespace arvesk {

/// What was sent into a folder last.
struct SentTiles {
  TileGrid grid;
  std::string key;
  std::string ending;  // of TileOrder
  std::string jobs;    // by what name the batch engine knows them; empty where they are processes of this machine
  long process = 0;    // of this machine, that sends and collects them; 0 once it is done
  bool operator==(const SentTiles&) const = default;
};
Result<void> writeSent(const TileOrder& order, const SentTiles& sent);

struct TileStates {
  enum class State { Waiting, Stale, Done, Empty, Failed };  // stale: made for an earlier state of the plan
  struct Tile {
    State state = State::Waiting;
    TileRecord record;
    std::filesystem::file_time_type written{};  // its record; a new one is read
  };
  SentTiles sent;
  bool isUnderWay = false;
  std::vector<Tile> tiles;  // by number in the grid
  std::size_t placements = 0;
  std::array<std::size_t, 5> counts{};  // of tiles, by state

  std::size_t countOf(State state) const { return counts[static_cast<std::size_t>(state)]; }
};

/// As they are now; nothing where no tiles were ever sent. Records that `before` knows are not read again.
std::optional<TileStates> tileStates(const std::string& folder, const TileStates& before = {});

/// Ends the sending process, those that it started on this machine, and the jobs of the batch engine. What is done
/// stays.
void stopSending(const SentTiles& sent);

}  // namespace arvesk
