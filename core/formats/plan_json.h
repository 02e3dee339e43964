// What reading and writing plans share: how values stand in JSON.
#pragma once

#include "core/plan/document.h"

#include <nlohmann/json.hpp>

#include <array>

namespace arvesk {

inline constexpr int kPlanVersion = 1;
inline constexpr std::array<const char*, 4> kPartNames{"whole", "part", "below", "piece"};
inline constexpr std::array<const char*, 4> kPivotNames{"as-made", "base-center", "center", "lowest-point"};

nlohmann::json toJson(const ParamValue& value);

}  // namespace arvesk
