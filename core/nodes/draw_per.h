// The choice "per point, parent or patch" that several kinds offer.
#pragma once

#include "core/plan/params.h"
#include "core/props/quantities.h"

namespace arvesk::nodes {

inline constexpr std::initializer_list<OptionText> kDrawPerOptions{{"point", ARVESK_TEXT("node", "Point")},
                                                                   {"parent", ARVESK_TEXT("node", "Parent")},
                                                                   {"patch", ARVESK_TEXT("node", "Patch")}};

}  // namespace arvesk::nodes
