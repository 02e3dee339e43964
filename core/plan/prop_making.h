// Makes a plan's prop from its file and the settings of the Kit: units, axes, pivot, height, turn, normals, mounts.
#pragma once

#include "core/base/task.h"
#include "core/plan/document.h"

namespace arvesk {

/// m; what is larger is likelier a wrong unit than a prop, and a hundred times as large takes ten thousand times the
/// points that grow on it. It is asked about first (PropEntry::isLargeMeant).
inline constexpr float kUnlikelySize = 50;

/// The unit that brings a prop of `largest` m into 2 cm … 20 m, from those that programs write; 0 when none does.
double likelierUnit(double unit, float largest);

/// `file` is as read. In this order: the part of it that counts, up axis, unit, normals, common height and size, turn,
/// pivot, values of vertices. All lengths are m afterwards. `light`, where there is one, is a mesh of its own for Site,
/// which lies as the file does. `warnings` gets what became of its values otherwise than asked.
Result<PropPtr> makePlanProp(const PropEntry& entry, const Surface& file, const Surface* light = nullptr,
                             std::vector<Problem>* warnings = nullptr, const Task& task = {});

/// The words of an entry's tags.
std::vector<std::string> tagsOf(const std::string& tags);

}  // namespace arvesk
