// Which tiles an edit can change: what a hand put down or painted since the tiles were collected lies somewhere, and a
// tile whose parts (parts.h) do not meet these places holds what it held.
#pragma once

#include "core/deliver/tiles.h"

namespace arvesk {

/// Tiles of the plan as it was last collected that no edit since can have changed are done for this plan too: their
/// records get its key. Gives how many the edits can change; nothing where all can, or where nothing was collected.
Result<std::optional<std::size_t>> keepUnchanged(Session& session, const TileOrder& order, const TileGrid& grid,
                                                 const std::string& key, const Task& task);

}  // namespace arvesk
