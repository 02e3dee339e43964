#include "core/geometry/attributes.h"

#include <algorithm>

namespace arvesk {
namespace {

template <typename T>
Column<T> joined(const std::vector<std::pair<const Attributes*, std::size_t>>& parts, const std::string& name) {
  Array<T> out;
  for (const auto& [attributes, count] : parts) {
    const auto it = attributes->find(name);
    const auto* column = it == attributes->end() ? nullptr : std::get_if<Column<T>>(&it->second);
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
    const auto it = attributes->find(name);
    const auto* column = it == attributes->end() ? nullptr : std::get_if<TextColumn>(&it->second);
    std::vector<std::uint32_t> map;
    if (column)
      for (const std::string& text : *column->names) map.push_back(idOf(text));
    const std::uint32_t none = column ? 0 : idOf({});
    for (std::size_t i = 0; i < count; ++i) index.push_back(column ? map[column->index[i]] : none);
  }
  return {std::make_shared<const std::vector<std::string>>(std::move(names)), Column<std::uint32_t>(std::move(index))};
}

}  // namespace

std::size_t bytesOf(const Attributes& attributes) {
  std::size_t sum = 0;
  for (const auto& [name, column] : attributes) {
    if (const auto* text = std::get_if<TextColumn>(&column)) sum += text->index.bytes();
    if (const auto* number = std::get_if<Column<float>>(&column)) sum += number->bytes();
    if (const auto* vector = std::get_if<Column<Vec3>>(&column)) sum += vector->bytes();
  }
  return sum;
}

Attributes gathered(const Attributes& attributes, const Array<std::uint32_t>& indices) {
  Attributes out;
  for (const auto& [name, column] : attributes) {
    if (const auto* text = std::get_if<TextColumn>(&column)) out.emplace(name, TextColumn{text->names, text->index.gathered(indices)});
    if (const auto* number = std::get_if<Column<float>>(&column)) out.emplace(name, number->gathered(indices));
    if (const auto* vector = std::get_if<Column<Vec3>>(&column)) out.emplace(name, vector->gathered(indices));
  }
  return out;
}

Attributes concatenated(const std::vector<std::pair<const Attributes*, std::size_t>>& parts) {
  Attributes out;
  for (const auto& [attributes, count] : parts) {
    for (const auto& [name, column] : *attributes) {
      if (out.contains(name)) continue;
      if (std::holds_alternative<Column<float>>(column)) out.emplace(name, joined<float>(parts, name));
      else if (std::holds_alternative<Column<Vec3>>(column)) out.emplace(name, joined<Vec3>(parts, name));
      else out.emplace(name, joinedText(parts, name));
    }
  }
  return out;
}

}  // namespace arvesk
