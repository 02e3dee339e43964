// Tiles sent to processes of this machine or to a batch engine, in lists; what was lost on the way is sent again.
#pragma once

#include "core/deliver/tiles.h"

#include <memory>

namespace arvesk::cli {

/// Who works lists of tiles out: the same program with `--share FILE:LINE`, somewhere.
class Workers {
 public:
  virtual ~Workers() = default;
  /// Waits until what an earlier call sent has ended; whether there was any.
  virtual Result<bool> waitForEarlier() { return false; }
  /// Works out the first `count` lines of the file and comes back once nobody works any more. Gives how each ended
  /// that did not end well, in words. Fails when nobody could be sent.
  virtual Result<std::map<std::size_t, std::string>> work(const std::string& lists, std::size_t count) = 0;
};

struct Sending {
  std::vector<std::string> command;  // this program's own words, to which the share is added
  std::string folder;                // for lists and logs
  std::size_t atOnce = 1;            // processes of this machine
  int threads = 1;                   // of each
  std::string name;                  // of the jobs, by which a later call finds them
  std::vector<std::string> options;  // for sbatch, as they are
  std::function<void()> look;        // called now and then while waiting
};

std::unique_ptr<Workers> processesHere(Sending sending);
/// Job arrays through Slurm's own commands sbatch and squeue.
std::unique_ptr<Workers> slurmArrays(Sending sending);

/// Sends the tiles in at most `lists` lists. Tiles that have no record afterwards are sent again in shorter lists, last
/// each alone; one that is lost alone twice gets a record that says so. Fails when nobody can be sent.
Result<void> sendTiles(Workers& workers, const TileOrder& order, std::vector<std::string> names, const std::string& key,
                       const std::string& folder, std::size_t lists);

/// The names on line `which` of a file of lists.
Result<std::vector<std::string>> listIn(const std::string& file, std::size_t which);

}  // namespace arvesk::cli
