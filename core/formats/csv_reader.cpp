#include "core/formats/csv_reader.h"

#include "core/base/csv_field.h"
#include "core/base/safe_file.h"
#include "core/base/utf8.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <string_view>

namespace arvesk {
namespace {

Failure bad(std::string message) {
  return fail(ProblemCode::FileUnreadable, "CSV: " + std::move(message), "Fix the file, or export it again");
}

/// Fields as views into the text; only quoted ones with doubled quotes need a copy.
struct Fields {
  const std::string& text;
  char separator;
  std::size_t at = 0;
  std::size_t line = 1;

  /// Reads one row; false at the end. `fault` is set when the row is broken.
  bool row(std::vector<std::string_view>& out, std::vector<std::unique_ptr<std::string>>& copies, std::string& fault) {
    out.clear();
    while (at < text.size() && (text[at] == '\n' || text[at] == '\r')) line += text[at++] == '\n';  // empty lines
    if (at >= text.size()) return false;
    for (;;) {
      if (at < text.size() && text[at] == '"') {
        const std::size_t start = ++at;
        const std::size_t opened = line;
        bool hasDoubled = false;
        for (;; ++at) {
          if (at >= text.size()) {
            fault = fmt::format("line {} opens a quote that is never closed", opened);
            return true;
          }
          if (text[at] == '\n') ++line;
          if (text[at] != '"') continue;
          if (at + 1 >= text.size() || text[at + 1] != '"') break;
          hasDoubled = true;
          ++at;
        }
        std::string_view field = std::string_view(text).substr(start, at - start);
        if (hasDoubled) {
          auto copy = std::make_unique<std::string>();
          for (std::size_t i = 0; i < field.size(); ++i) {
            *copy += field[i];
            i += field[i] == '"';
          }
          field = *copies.emplace_back(std::move(copy));
        }
        out.push_back(field);
        ++at;
      } else {
        const std::size_t start = at;
        while (at < text.size() && text[at] != separator && text[at] != '\n' && text[at] != '\r') ++at;
        std::string_view field = std::string_view(text).substr(start, at - start);
        while (!field.empty() && field.front() == ' ') field.remove_prefix(1);
        while (!field.empty() && field.back() == ' ') field.remove_suffix(1);
        out.push_back(field);
      }
      if (at < text.size() && text[at] == separator) {
        ++at;
        continue;
      }
      if (at < text.size() && text[at] != '\n' && text[at] != '\r')
        fault = fmt::format("line {} goes on after a closing quote", line);
      return true;
    }
  }
};

/// Where fields are separated by semicolons, "1,5" is one and a half.
template <typename T>
bool numbersOf(const std::vector<std::string_view>& cells, std::size_t column, std::size_t width,
               bool mayHaveDecimalCommas, Array<T>& out) {
  const std::size_t rows = cells.size() / width;
  out.resize(rows);
  std::string pointed;
  for (std::size_t r = 0; r < rows; ++r) {
    std::string_view cell = cells[r * width + column];
    if (mayHaveDecimalCommas && std::count(cell.begin(), cell.end(), ',') == 1) {
      pointed = cell;
      pointed[cell.find(',')] = '.';
      cell = pointed;
    }
    const auto [end, error] = std::from_chars(cell.data(), cell.data() + cell.size(), out[r]);
    if (error != std::errc() || end != cell.data() + cell.size()) return false;
  }
  return true;
}

}  // namespace

Result<Table> parseCsv(const std::string& text, const Task& task) {
  const std::size_t start = text.compare(0, 3, "\xef\xbb\xbf") == 0 ? 3 : 0;  // the mark that some programs write first
  const std::string_view head = std::string_view(text).substr(start, text.find('\n', start) - start);
  const auto countOf = [&](char c) { return std::count(head.begin(), head.end(), c); };
  const char separator = countOf(';') > countOf(',') ? ';' : countOf('\t') > countOf(',') ? '\t' : ',';
  Fields fields{text, separator, start};
  std::vector<std::string_view> row;
  std::vector<std::unique_ptr<std::string>> copies;
  std::string fault;
  if (!fields.row(row, copies, fault)) return bad("the file is empty");
  if (!fault.empty()) return bad(fault);
  Table table;
  for (const std::string_view name : row) {
    if (name.empty()) return bad(fmt::format("column {} has no name", table.names.size() + 1));
    if (std::find(table.names.begin(), table.names.end(), name) != table.names.end())
      return bad(fmt::format("the name \"{}\" is used for two columns", name));
    table.names.push_back(withoutGuard(std::string(name)));
  }
  const std::size_t width = table.names.size();
  std::vector<std::string_view> cells;
  while (fields.row(row, copies, fault)) {
    if (!fault.empty()) return bad(fault);
    if (row.size() != width)
      return bad(fmt::format("line {} has {} fields, the head has {}", fields.line, row.size(), width));
    cells.insert(cells.end(), row.begin(), row.end());
    if (task.isCancelled()) return Failure(cancelled());
  }
  table.rowCount = cells.size() / width;
  for (std::size_t c = 0; c < width; ++c) {
    Array<std::uint64_t> whole;
    Array<double> numbers;
    if (numbersOf(cells, c, width, separator == ';', whole))
      table.columns.emplace_back(std::move(whole));
    else if (numbersOf(cells, c, width, separator == ';', numbers))
      table.columns.emplace_back(std::move(numbers));
    else {
      TextCells texts(table.rowCount);
      for (std::size_t r = 0; r < table.rowCount; ++r) texts[r] = withoutGuard(std::string(cells[r * width + c]));
      table.columns.emplace_back(std::move(texts));
    }
  }
  return table;
}

Result<Table> readCsv(const std::string& path, const Task& task) {
  auto text = readWhole(path, std::size_t{4} << 30);
  if (!text) return Failure(text.error());
  return parseCsv(asUtf8(std::move(*text)), task);
}

}  // namespace arvesk
