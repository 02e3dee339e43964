// A little memory that is held back for when the system has no more, so that what is under way can end in order:
// libraries that need a few bytes to let go of what they hold would end the program.
#pragma once

namespace arvesk {

/// From now on it is held, and given away when an allocation fails, which is then tried again. For programs.
void holdReserve();
/// False when it was given away and there is still not enough memory to hold it again: large blocks are refused then.
/// True where none is held.
bool hasReserve();

}  // namespace arvesk
