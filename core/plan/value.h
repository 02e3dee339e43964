// What travels between nodes: immutable, shared.
#pragma once

#include "core/geometry/prop.h"
#include "core/masks/mask.h"
#include "core/spatial/volume.h"

#include <array>
#include <optional>
#include <variant>

namespace arvesk {

enum class ValueType { Surface, Points, Mask, Kit, Volume };
/// In plain words: "surface".
const char* valueTypeName(ValueType type);
inline constexpr std::array kValueTypes{ValueType::Points, ValueType::Surface, ValueType::Volume, ValueType::Mask,
                                        ValueType::Kit};

using Value = std::variant<std::monostate, SurfacePtr, PointsPtr, MaskPtr, KitPtr, VolumePtr>;
using Outputs = std::vector<Value>;  // one per declared output, in order

/// Nothing for an empty value.
std::optional<ValueType> typeOf(const Value& value);
/// Its true bytes, with what hangs on it: indices, trees, images, kits and their props.
void countBytes(const Value& value, ByteCounter& counter);
std::size_t bytesOf(const Value& value);
/// How many points or faces it holds, for the yield; 0 for masks, kits and volumes.
std::size_t countOf(const Value& value);

}  // namespace arvesk
