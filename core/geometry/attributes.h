// Named values per point, vertex or face: numbers, vectors (colors, tints), text and ids of other points.
#pragma once

#include "core/base/array.h"
#include "core/base/vec.h"

#include <map>
#include <optional>
#include <string>
#include <variant>
#include <vector>

namespace arvesk {

/// Text per element, as indices into a list of distinct values.
struct TextColumn {
  std::shared_ptr<const std::vector<std::string>> names;
  Column<std::uint32_t> index;
  const std::string& at(std::size_t i) const { return (*names)[index[i]]; }
};

using AttributeColumn = std::variant<Column<float>, Column<Vec3>, TextColumn, Column<std::uint64_t>>;
using Attributes = std::map<std::string, AttributeColumn>;

void countBytes(const Attributes& attributes, ByteCounter& counter);
Attributes gathered(const Attributes& attributes, const Array<std::uint32_t>& indices);
/// The column `name` when it is there and of type T (Column<float>, Column<Vec3>, TextColumn or Column<std::uint64_t>),
/// else null.
template <typename T>
const T* columnOf(const Attributes& attributes, const std::string& name) {
  const auto it = attributes.find(name);
  return it == attributes.end() ? nullptr : std::get_if<T>(&it->second);
}
/// One set after the other; an attribute that a part lacks is 0, or empty text, there. A name used for two types keeps
/// the first one's.
Attributes concatenated(const std::vector<std::pair<const Attributes*, std::size_t>>& parts);

}  // namespace arvesk
