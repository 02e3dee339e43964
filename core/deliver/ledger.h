// The Ledger's data: points as a table with a column for each thing they carry; sorted, filtered and written as CSV
// without copies.
#pragma once

#include "core/base/result.h"
#include "core/base/task.h"
#include "core/geometry/points.h"

namespace arvesk {

struct LedgerColumn {
  enum class Sort { Number, Text, Id };
  std::string name;  // as formulas and filters name it
  std::string unit;  // for heads, may be empty
  Sort sort = Sort::Number;
  int digits = 2;            // after the point
  std::string source;        // what points carry it by; of texts, empty is the name of their output
  bool areContacts = false;  // which pieces of its owner a piece meets at home, and by how many m²
};

/// Several sets of points, one after the other, read in place. Row numbers count through all of them.
class Ledger {
 public:
  struct Part {
    std::string name;
    PointsPtr points;
  };
  explicit Ledger(std::vector<Part> parts);

  std::size_t rowCount() const { return m_rowCount; }
  const std::vector<LedgerColumn>& columns() const { return m_columns; }
  int column(const std::string& name) const;  // −1 when there is none
  /// NaN for texts and where a part lacks the attribute.
  double number(std::size_t row, int column) const;
  std::string text(std::size_t row, int column) const;
  /// What a cell shows.
  std::string shown(std::size_t row, int column) const;
  struct Place {
    std::size_t part;
    std::size_t index;
  };
  Place placeOf(std::size_t row) const;
  std::size_t rowOf(std::size_t part, std::size_t index) const { return m_starts[part] + index; }
  const std::vector<Part>& parts() const { return m_parts; }

  /// Rows that fit `filter`, rising. A filter is words and comparisons joined by "and" and "or", as in formulas: `slope
  /// > 30 and prop = marram*`; comparisons are = != < <= > >=, texts go by pattern (* and ?); a lone word is looked for
  /// in every text and id. Empty: all rows.
  Result<Array<std::uint32_t>> filtered(const std::string& filter, const Task& task) const;
  /// `rows` by one column; equal ones keep their order.
  Array<std::uint32_t> sorted(Array<std::uint32_t> rows, int column, bool isFalling, const Task& task) const;
  Result<void> writeCsv(const std::string& path, const Array<std::uint32_t>& rows, const Task& task) const;

 private:
  /// Which rows hold all of what `filter` joins by "and".
  Result<Array<std::uint8_t>> heldBy(const std::string& filter, const Task& task) const;
  /// Numbers of one column for all rows.
  Array<double> numbers(int column, const Task& task) const;

  std::vector<Part> m_parts;
  std::vector<std::size_t> m_starts;
  std::size_t m_rowCount = 0;
  std::vector<LedgerColumn> m_columns;
};

}  // namespace arvesk
