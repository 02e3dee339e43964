// What is done with keys on a time line: moved, copied, pushed along, stretched, taken out, eased otherwise.
#pragma once

#include "core/plan/frame_keys.h"

namespace arvesk {

enum class KeyMove {
  One,      // the key goes alone; one that lies where it comes to gives way
  Copy,     // as One, and stays where it was too
  Along,    // all later ones go along, none before the one that lies before it
  Stretch,  // all keep their share of the way between the first key and it
};

/// The key at frame `from` comes to `to`; as they were where there is none.
Keys movedKeys(const Keys& keys, double from, double to, KeyMove how);

/// The value at `frame` becomes `value`: of the key there, which keeps its easing, or of a new one, which goes on as
/// the one before it did.
void setValueAt(Keys& keys, double frame, ParamValue value);

/// A key at `frame` that changes nothing: a curve that bends there goes on freely, by the slopes that it has.
Keys splitAt(const Keys& keys, double frame);

/// The frames of all keys in a list of tracks, rising, each once.
std::vector<double> framesOf(const std::map<std::string, Keys>& tracks);

}  // namespace arvesk
