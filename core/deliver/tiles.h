// A plan in tiles: each is worked out and written alone and is the part of the whole that lies in it, so that a world
// that fits no machine's memory is made piece by piece, in any order, by any number of processes. Beside every tile
// stands a record of how it ended; what was done for the same plan and files stays done.
#pragma once

#include "core/deliver/session.h"

namespace arvesk {

/// Squares from above that count from the world's origin. Those at the rim go on without end, so that nothing of the
/// plan lies outside of all of them.
struct TileGrid {
  bool operator==(const TileGrid&) const = default;
  double size = 0;                                           // m
  int fromColumn = 0, toColumn = 0, fromRow = 0, toRow = 0;  // first and last, along x and z

  std::size_t count() const {
    return static_cast<std::size_t>(toColumn - fromColumn + 1) * static_cast<std::size_t>(toRow - fromRow + 1);
  }
  /// Row by row.
  int columnOf(std::size_t tile) const { return fromColumn + static_cast<int>(tile % columns()); }
  int rowOf(std::size_t tile) const { return fromRow + static_cast<int>(tile / columns()); }
  Part partOf(std::size_t tile) const;
  /// "3_-2": column and row.
  std::string nameOf(std::size_t tile) const;

 private:
  std::size_t columns() const { return static_cast<std::size_t>(toColumn - fromColumn + 1); }
};

struct TileOrder {
  double size = 256;                 // m
  std::string folder;                // where tiles and their records go
  std::string ending = ".usda";      // of exportLayers
  std::vector<std::string> outputs;  // titles; empty: all exported ones
  ExportOptions how;
  Quality quality = Quality::Final;
  Limits limits;
};

/// How a tile ended.
struct TileRecord {
  enum class State { Done, Empty, Failed };
  State state = State::Failed;
  std::string name;
  std::string key;                 // of the plan, the files that it reads, and the order
  std::string file;                // of the tile, in the order's folder; empty where there is none
  std::vector<std::string> files;  // all that was written for it, those that lie beside it too
  std::uint64_t bytes = 0;         // of the tile's own file
  std::size_t placements = 0;
  std::map<std::string, std::size_t> perProp;   // by prop name
  std::map<std::string, std::size_t> perLayer;  // by title
  Box3 bounds;                                  // of what stands in it
  double seconds = 0;
  std::size_t peakBytes = 0;            // most memory that the process had meanwhile
  std::map<std::string, double> wider;  // how far its nodes looked, by uid (Evaluation::wider)
  std::vector<std::string> problems;    // errors and warnings, for people
};

/// The tiles that the plan's surfaces and bodies lie in; one where there are none.
Result<TileGrid> tileGridOf(Session& session, const TileOrder& order, const Task& task);

/// Hash of all that decides what tiles hold.
std::string tileKeyOf(const Plan& plan, FileService& files, const TileOrder& order, const TileGrid& grid);

/// How the tile ended, when it was made by the same key and its files are there as they were written.
std::optional<TileRecord> tileRecord(const TileOrder& order, const std::string& name, const std::string& key);

/// The tile's record as it stands there, whatever plan it is of.
std::optional<TileRecord> readRecord(const std::string& folder, const std::string& name);
std::string recordPath(const std::string& folder, const std::string& name);
Result<void> writeRecord(const TileOrder& order, const TileRecord& record);

/// Writes down that the tile has failed for a reason that its own process could not tell.
Result<void> recordFailure(const TileOrder& order, const std::string& name, const std::string& key,
                           const std::string& why);

/// Takes the tile's record and file away, so that a later record is of a later process.
void forgetTile(const TileOrder& order, const std::string& name);

/// Works the tile out and writes it with its record; what goes wrong in it is in the record. Fails after a cancel, and
/// when not even the record can be written.
Result<TileRecord> makeTile(Session& session, const TileOrder& order, const TileGrid& grid, std::size_t tile,
                            const std::string& key, const Task& task);

/// The plan whose tiles were collected last, and their key.
struct CollectedPlan {
  std::string key;
  std::string plan;  // the text of its file
};
std::optional<CollectedPlan> collectedPlan(const TileOrder& order);

/// All tiles together: surfaces and volumes of the plan in a file of their own, a world.usda that names all of them as
/// payloads with their extents, and the manifest tiles.json. Takes away tiles that this plan has no more. Gives the
/// records by tile; one that has none has failed.
Result<std::vector<TileRecord>> collectTiles(Session& session, const TileOrder& order, const TileGrid& grid,
                                             const std::string& key, const Task& task);

}  // namespace arvesk
