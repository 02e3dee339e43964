// What reading and writing plans share: how values stand in JSON.
#pragma once

#include "core/plan/document.h"

#include <nlohmann/json.hpp>

#include <array>

namespace arvesk {

inline constexpr int kPlanVersion = 1;
inline constexpr std::array<const char*, 4> kPartNames{"whole", "part", "below", "piece"};
inline constexpr std::array<const char*, 4> kPivotNames{"as-made", "base-center", "center", "lowest-point"};

inline constexpr std::array<const char*, 15> kParamTypeNames{"toggle", "number",  "integer", "choice", "text",
                                                             "file",   "vector",  "range",   "band",   "props",
                                                             "curve",  "strokes", "faces",   "points", "touches"};
inline constexpr std::array<const char*, 10> kUnitNames{"none",   "m",     "degree", "percent", "per-m2",
                                                        "per-m3", "per-m", "share",  "pixel",   "second"};
inline constexpr std::array<const char*, 6> kTextFormNames{"line",    "range-rules", "name-rules",
                                                           "palette", "ramp",        "color"};

nlohmann::json toJson(const ParamValue& value);

}  // namespace arvesk
