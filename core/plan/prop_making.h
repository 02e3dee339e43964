// Makes a plan's prop from its file and the settings of the Kit: units, axes, pivot, height, turn, normals, mounts.
#pragma once

#include "core/plan/document.h"

namespace arvesk {

/// `file` is as read. In this order: up axis, unit, normals, common height and size, turn, pivot. All lengths are m
/// afterwards.
Result<PropPtr> makePlanProp(const PropEntry& entry, const Surface& file);

/// The words of an entry's tags.
std::vector<std::string> tagsOf(const std::string& tags);

}  // namespace arvesk
