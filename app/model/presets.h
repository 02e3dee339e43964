// Values of a node that are kept under a name for later ones of its kind, in every plan; and those that new ones begin
// with.
#pragma once

#include "core/plan/dials.h"

#include <QStringList>

#include <optional>

namespace arvesk {

class Presets {
 public:
  /// Names of what is kept for a kind, in order of the alphabet.
  static QStringList names(const std::string& kind);
  /// The values under a name, as far as this version of the kind knows them; an empty name is what new nodes begin
  /// with. Nothing when there are none, or they cannot be read.
  static std::optional<ParamMap> values(const std::string& kind, const QString& name);
  /// What of a node's values means the same in any plan: not its files, props, strokes and faces.
  static ParamMap movable(const std::string& kind, const ParamMap& values);
  /// Keeps what is movable of the node's values. What follows a dial is kept as it is in that quality.
  static void keep(const Plan& plan, const Node& node, Quality quality, const QString& name);
  static void forget(const std::string& kind, const QString& name);
};

}  // namespace arvesk
