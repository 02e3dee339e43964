// Keys: what a parameter is at moments of the plan's time, and how it goes on between them.
#pragma once

#include "core/plan/params.h"

#include <array>

namespace arvesk {

/// How a value goes from one key to the next. Choices and switches stay until the next one in any case.
enum class Easing { Held, Even, Soft, Free };
inline constexpr std::array kEasings{"held", "even", "soft", "free"};

/// What a value does before its first key or after its last one: stays, begins anew (the last key is the first of the
/// next round), or goes back and forth.
enum class Beyond { Hold, Loop, Mirror };
inline constexpr std::array kBeyonds{"hold", "loop", "mirror"};

struct Key {
  double frame = 1;
  ParamValue value = 0.0;        // of the parameter's sort; a number where one of several has keys of its own
  Easing easing = Easing::Soft;  // to the next key
  /// Of Free: how steep it leaves this key and reaches the next one, in slopes of the straight way; 1 and 1 are Even, 0
  /// and 0 Soft.
  double leaves = 0;
  double reaches = 0;
  bool operator==(const Key&) const = default;
};

struct Keys {
  std::vector<Key> list;  // by rising frames, each once; empty: there are none
  Beyond before = Beyond::Hold;
  Beyond after = Beyond::Hold;
  bool isEmpty() const { return list.empty(); }
  bool operator==(const Keys&) const = default;
};

/// The share of the way from `key` to the next one, for the share of the time (both 0 to 1; Free may go beyond). Free
/// is a cubic by its slopes (Hermite); Soft is 3t² − 2t³.
double eased(const Key& key, double share);

/// What the value is at `frame`, which may lie between two and anywhere; bit for bit that of a key at its own. `keys`
/// has some. Values of other sorts than numbers, and lists that are not equally long, stay until the next key.
ParamValue valueAt(const Keys& keys, double frame);

/// Puts a key into its place by frame; one of the same frame gives way.
void setKey(Keys& keys, Key key);

/// Can a parameter of this sort have keys? Texts, files, lists, curves and what is painted by hand cannot.
bool canHaveKeys(ParamType type);

}  // namespace arvesk
