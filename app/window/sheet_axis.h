// What a contact sheet varies from picture to picture: a seed, a dial of the plan, a front control of a sub-plan, or
// whether a sub-plan is of the version that the plan has or of a later one in the library.
#pragma once

#include "core/formats/library.h"

namespace arvesk {

struct SheetAxis {
  enum class Of { Seed, Dial, Front, Version };
  Of of = Of::Seed;
  std::string node;   // uid in the opened plan, of seeds and front controls; empty: the plan's seed
  std::string id;     // of the dial or control
  std::string label;  // as it stands in the plan
  Unit unit = Unit::None;
  bool isWhole = false;
  std::vector<Option> options;  // of choices and toggles: these in turn
  double from = 0;              // the range that is gone through from 5 to 95 %
  double to = 1;
  LibraryToolPtr later;  // of versions
  std::string folder;    // where files of the plan start

  bool isSeed() const { return of == Of::Seed; }
  /// The k-th of `count` values; of options their number, from 0.
  double at(int k, int count) const;
  /// How many pictures there can be: of options one each.
  int most(int count) const;
  /// Sets the plan to the k-th value.
  void apply(Plan& plan, int k, int count) const;
  bool operator==(const SheetAxis&) const = default;
};

/// Whether the plan takes this version of a sub-plan that it has: two pictures.
SheetAxis versionAxis(const Plan& plan, const LibraryToolPtr& later, const std::string& folder);

/// All that can be varied besides versions: seeds first, then dials, then the controls of the document's sub-plans that
/// are numbers, choices or switches.
std::vector<SheetAxis> sheetAxes(const Plan& plan);

}  // namespace arvesk
