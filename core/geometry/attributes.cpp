#include "core/geometry/attributes.h"

#include <algorithm>

namespace arvesk {
namespace {

template <typename T>
Column<T> joined(const std::vector<std::pair<const Attributes*, std::size_t>>& parts, const std::string& name) {
  Array<T> out;
  for (const auto& [attributes, count] : parts) {
    const auto* column = columnOf<Column<T>>(*attributes, name);
    for (std::size_t i = 0; i < count; ++i) out.push_back(column ? (*column)[i] : T{});
  }
  return Column<T>(std::move(out));
}

TextColumn joinedText(const std::vector<std::pair<const Attributes*, std::size_t>>& parts, const std::string& name) {
  std::vector<std::string> names;
  Array<std::uint32_t> index;
  const auto idOf = [&names](const std::string& text) {
    const auto it = std::find(names.begin(), names.end(), text);
    if (it != names.end()) return static_cast<std::uint32_t>(it - names.begin());
    names.push_back(text);
    return static_cast<std::uint32_t>(names.size() - 1);
  };
  for (const auto& [attributes, count] : parts) {
    const auto* column = columnOf<TextColumn>(*attributes, name);
    std::vector<std::uint32_t> map;
    if (column)
      for (const std::string& text : *column->names) map.push_back(idOf(text));
    const std::uint32_t none = column ? 0 : idOf({});
    for (std::size_t i = 0; i < count; ++i) index.push_back(column ? map[column->index[i]] : none);
  }
  return {std::make_shared<const std::vector<std::string>>(std::move(names)), Column<std::uint32_t>(std::move(index))};
}

}  // namespace

void countBytes(const Attributes& attributes, ByteCounter& counter) {
  for (const auto& [name, column] : attributes)
    std::visit(
        [&](const auto& c) {
          if constexpr (std::is_same_v<std::decay_t<decltype(c)>, TextColumn>) {
            c.index.countBytes(counter);
            std::size_t bytes = 0;
            for (const std::string& text : *c.names) bytes += sizeof(text) + text.capacity();
            counter.add(c.names.get(), bytes);
          } else {
            c.countBytes(counter);
          }
        },
        column);
}

Attributes gathered(const Attributes& attributes, const Array<std::uint32_t>& indices) {
  Attributes out;
  for (const auto& [name, column] : attributes)
    out.emplace(name, std::visit(
                          [&](const auto& c) -> AttributeColumn {
                            if constexpr (std::is_same_v<std::decay_t<decltype(c)>, TextColumn>)
                              return TextColumn{c.names, c.index.gathered(indices)};
                            else
                              return c.gathered(indices);
                          },
                          column));
  return out;
}

Attributes concatenated(const std::vector<std::pair<const Attributes*, std::size_t>>& parts) {
  Attributes out;
  for (const auto& [attributes, count] : parts) {
    for (const auto& [name, column] : *attributes) {
      if (out.contains(name)) continue;
      if (std::holds_alternative<Column<float>>(column))
        out.emplace(name, joined<float>(parts, name));
      else if (std::holds_alternative<Column<Vec3>>(column))
        out.emplace(name, joined<Vec3>(parts, name));
      else if (std::holds_alternative<Column<std::uint64_t>>(column))
        out.emplace(name, joined<std::uint64_t>(parts, name));
      else
        out.emplace(name, joinedText(parts, name));
    }
  }
  return out;
}

}  // namespace arvesk
