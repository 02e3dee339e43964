// A table as read from a file: named columns of numbers, whole numbers or text, all of one length.
#pragma once

#include "core/base/array.h"

#include <memory>
#include <string>
#include <variant>
#include <vector>

namespace arvesk {

/// A type of its own for the reason that PropChoices is one.
struct TextCells : std::vector<std::string> {
  using vector::vector;
};

using TableColumn = std::variant<Array<double>, Array<std::uint64_t>, TextCells>;

struct Table {
  std::vector<std::string> names;
  std::vector<TableColumn> columns;
  std::size_t rowCount = 0;

  void countBytes(ByteCounter& counter) const {
    std::size_t bytes = sizeof(Table);
    for (const TableColumn& c : columns)
      bytes += std::visit([](const auto& v) { return v.capacity() * sizeof(v[0]); }, c);
    counter.add(this, bytes);
  }
  const TableColumn* find(const std::string& name) const {
    for (std::size_t i = 0; i < names.size(); ++i)
      if (names[i] == name) return &columns[i];
    return nullptr;
  }
};

using TablePtr = std::shared_ptr<const Table>;

}  // namespace arvesk
