// One file that holds many props: each part, what lies below a node, or each loose piece becomes a prop of its own.
#pragma once

#include "core/geometry/file_parts.h"
#include "core/plan/document.h"

namespace arvesk {

/// More props than these at once are no kit that anybody could look through.
inline constexpr std::size_t kMostSplit = 1000;

/// What a prop's file is split into, by name; `parent` is the node whose children count (PartBy::Below).
std::vector<std::string> namesOfSplit(const FileSplits& file, PartBy by, const std::string& parent = {});

/// Puts the parts in the place of the prop `uid` in the plan, each with the prop's settings, its pivot in the middle of
/// its base. Lists that chose the prop choose the parts. Where hands placed the prop it stays beside them, so that what
/// stands there stays. Returns the new ones' uids, none when `names` is empty.
std::vector<std::string> splitProp(Plan& plan, const std::string& uid, PartBy by,
                                   const std::vector<std::string>& names);

/// Parts that the file of a split prop has and that are no props of the plan yet.
std::vector<std::string> newParts(const Plan& plan, const PropEntry& of, const FileSplits& file);

/// Adds those beside it, with its settings; lists that choose it choose them too.
std::vector<std::string> addParts(Plan& plan, const std::string& uid, const std::vector<std::string>& names);

}  // namespace arvesk
