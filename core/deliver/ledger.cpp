#include "core/deliver/ledger.h"

#include "core/base/csv_field.h"
#include "core/base/number_text.h"
#include "core/base/pattern.h"
#include "core/base/safe_file.h"
#include "core/formats/exporter.h"
#include "core/props/quantities.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <set>
#include <unordered_map>

namespace arvesk {
namespace {

constexpr double kNone = std::numeric_limits<double>::quiet_NaN();
constexpr std::size_t kGrain = 16'384;

enum class Compare { Equal, NotEqual, Less, LessEqual, More, MoreEqual };
struct Clause {
  std::string name;  // of the column; empty for a word looked for everywhere
  Compare compare = Compare::Equal;
  std::string word;  // the right side
  int column = -1;
  double number = kNone;
};

std::string lowered(std::string s) {
  std::transform(s.begin(), s.end(), s.begin(), [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return s;
}

/// What stands between the words " and " or " or ".
std::vector<std::string> partsOf(const std::string& filter, const std::string& word) {
  std::vector<std::string> out;
  std::string rest = filter;
  for (;;) {
    const std::size_t at = lowered(rest).find(word);
    out.emplace_back(trimmed(std::string_view(rest).substr(0, at)));
    if (at == std::string::npos) return out;
    rest = rest.substr(at + word.size());
  }
}

Clause clauseOf(const std::string& text) {
  constexpr std::pair<const char*, Compare> kSigns[] = {
      {"!=", Compare::NotEqual}, {"<=", Compare::LessEqual}, {">=", Compare::MoreEqual}, {"==", Compare::Equal},
      {"=", Compare::Equal},     {"<", Compare::Less},       {">", Compare::More}};
  Clause c;
  for (const auto& [sign, compare] : kSigns) {
    const std::size_t at = text.find(sign);
    if (at == std::string::npos) continue;
    c.name = trimmed(std::string_view(text).substr(0, at));
    c.word = trimmed(std::string_view(text).substr(at + std::string_view(sign).size()));
    c.compare = compare;
    return c;
  }
  c.word = text;
  return c;
}

bool holds(Compare compare, double a, double b) {
  switch (compare) {
    case Compare::Equal: return std::abs(a - b) <= 1e-6 * std::max(1.0, std::abs(b));
    case Compare::NotEqual: return !holds(Compare::Equal, a, b);
    case Compare::Less: return a < b;
    case Compare::LessEqual: return a <= b;
    case Compare::More: return a > b;
    case Compare::MoreEqual: return a >= b;
  }
  return false;
}

/// "wall/3 0.12 m², wall/7 0.04 m²": the largest first.
std::string contactsOf(const Points& points, std::size_t i) {
  const std::int32_t prop = points.prop[i];
  const PieceOf* piece = points.kit && prop != kNoProp
                             ? points.kit->entries[static_cast<std::size_t>(prop)].prop->piece.get()
                             : nullptr;
  if (!piece) return {};
  std::vector<PieceOf::Contact> contacts = piece->contacts;
  std::stable_sort(contacts.begin(), contacts.end(), [](const auto& a, const auto& b) { return a.area > b.area; });
  std::string out;
  for (const PieceOf::Contact& c : contacts)
    out += fmt::format("{}{} {:.3g} m²", out.empty() ? "" : ", ", c.name, c.area);
  return out;
}

}  // namespace

Ledger::Ledger(std::vector<Part> parts) : m_parts(std::move(parts)) {
  std::vector<std::string> numbers;
  std::vector<std::string> texts;
  std::set<std::string> seen;
  for (const Part& part : m_parts) {
    m_starts.push_back(m_rowCount);
    m_rowCount += part.points->count;
    for (const std::string& name : textNames(*part.points))
      if (seen.insert(name).second) texts.push_back(name);
    for (const std::string& name : numberNames(*part.points))
      if (name != "height" && seen.insert(name).second) numbers.push_back(name);  // y says the same
  }
  // What each row is, then its numbers; the texts that only some rows carry stand behind them. What points carry under
  // a name that the table uses itself gets a number.
  std::set<std::string> taken{"id"};
  const auto add = [&](const std::string& source, const char* unit, LedgerColumn::Sort sort, int digits) {
    m_columns.push_back({exporters::uniqueColumn(taken, source), unit, sort, digits, source});
  };
  if (m_parts.size() > 1)
    m_columns.push_back({exporters::uniqueColumn(taken, "output"), "", LedgerColumn::Sort::Text, 0, {}});
  const auto prop = std::find(texts.begin(), texts.end(), "prop");
  if (prop != texts.end()) {
    add(*prop, "", LedgerColumn::Sort::Text, 0);
    texts.erase(prop);
  }
  for (const std::string& name : numbers) {
    const bool isLength = name == "x" || name == "y" || name == "z" || name == "footprint" || name == "parent-distance";
    add(name, isLength ? "m" : name == "slope" ? "°" : "", LedgerColumn::Sort::Number, name == "slope" ? 1 : 2);
  }
  for (const std::string& name : texts) add(name, "", LedgerColumn::Sort::Text, 0);
  if (std::any_of(m_parts.begin(), m_parts.end(),
                  [](const Part& part) { return part.points->kit && arePieces(*part.points->kit); }))
    m_columns.push_back({exporters::uniqueColumn(taken, "meets"), "", LedgerColumn::Sort::Text, 0, {}, true});
  m_columns.push_back({"id", "", LedgerColumn::Sort::Id, 0, {}});
}

int Ledger::column(const std::string& name) const {
  const auto it = std::find_if(m_columns.begin(), m_columns.end(),
                               [&](const LedgerColumn& c) { return c.name == name; });
  return it == m_columns.end() ? -1 : static_cast<int>(it - m_columns.begin());
}

Ledger::Place Ledger::placeOf(std::size_t row) const {
  const auto it = std::upper_bound(m_starts.begin(), m_starts.end(), row);
  const auto part = static_cast<std::size_t>(it - m_starts.begin()) - 1;
  return {part, row - m_starts[part]};
}

double Ledger::number(std::size_t row, int column) const {
  const LedgerColumn& c = m_columns[static_cast<std::size_t>(column)];
  if (c.sort != LedgerColumn::Sort::Number) return kNone;
  const Place at = placeOf(row);
  float value = 0;
  return readNumbers(*m_parts[at.part].points, c.source, at.index, at.index + 1, &value) ? static_cast<double>(value)
                                                                                         : kNone;
}

std::string Ledger::text(std::size_t row, int column) const {
  const LedgerColumn& c = m_columns[static_cast<std::size_t>(column)];
  const Place at = placeOf(row);
  const Part& part = m_parts[at.part];
  if (c.sort == LedgerColumn::Sort::Id) return std::to_string(part.points->id[at.index]);  // as exports write it
  if (c.areContacts) return contactsOf(*part.points, at.index);
  if (c.source.empty()) return part.name;
  return readText(*part.points, c.source, at.index).value_or(std::string());
}

std::string Ledger::shown(std::size_t row, int column) const {
  const LedgerColumn& c = m_columns[static_cast<std::size_t>(column)];
  if (c.sort != LedgerColumn::Sort::Number) return text(row, column);
  const double v = number(row, column);
  return std::isnan(v) ? std::string() : fmt::format("{:.{}f}", v, c.digits);
}

Array<double> Ledger::numbers(int column, const Task& task) const {
  const LedgerColumn& c = m_columns[static_cast<std::size_t>(column)];
  Array<double> out(m_rowCount);
  for (std::size_t p = 0; p < m_parts.size(); ++p) {
    const Points& points = *m_parts[p].points;
    parallelPieces(task, points.count, kGrain, [&](std::size_t begin, std::size_t end) {
      Array<float> piece(end - begin);
      const bool is = readNumbers(points, c.source, begin, end, piece.data());
      for (std::size_t i = begin; i < end; ++i)
        out[m_starts[p] + i] = is ? static_cast<double>(piece[i - begin]) : kNone;
    });
  }
  return out;
}

Result<Array<std::uint32_t>> Ledger::filtered(const std::string& filter, const Task& task) const {
  // "and" binds more closely than "or", as in formulas.
  Array<std::uint8_t> isIn;
  isIn.assign(m_rowCount, 0);
  for (const std::string& either : partsOf(filter, " or ")) {
    const auto keeps = heldBy(either, task);
    if (!keeps) return Failure(keeps.error());
    for (std::size_t i = 0; i < m_rowCount; ++i) isIn[i] |= (*keeps)[i];
  }
  if (task.isCancelled()) return Failure(cancelled());
  Array<std::uint32_t> rows;
  for (std::size_t i = 0; i < m_rowCount; ++i)
    if (isIn[i]) rows.push_back(static_cast<std::uint32_t>(i));
  return rows;
}

Result<Array<std::uint8_t>> Ledger::heldBy(const std::string& filter, const Task& task) const {
  std::vector<Clause> clauses;
  for (const std::string& part : partsOf(filter, " and ")) {
    if (part.empty()) continue;
    Clause c = clauseOf(part);
    if (!c.name.empty() || part != c.word) {
      c.column = column(c.name);
      if (c.column < 0) {
        std::string names;
        for (const LedgerColumn& known : m_columns) names += (names.empty() ? "" : ", ") + known.name;
        return fail(ProblemCode::BadParameter, fmt::format("there is no column \"{}\"", c.name), "Use one of " + names);
      }
      const bool isNumber = m_columns[static_cast<std::size_t>(c.column)].sort == LedgerColumn::Sort::Number;
      const auto number = numberIn(c.word);
      if (isNumber && !number)
        return fail(ProblemCode::BadParameter, fmt::format("\"{}\" is not a number to compare {} with", c.word, c.name),
                    "Write it like \"slope > 30\"");
      if (!isNumber && c.compare != Compare::Equal && c.compare != Compare::NotEqual)
        return fail(ProblemCode::BadParameter, fmt::format("{} is text and has no order here", c.name),
                    "Compare it with = or !=");
      c.number = number.value_or(kNone);
    }
    clauses.push_back(std::move(c));
  }
  Array<std::uint8_t> keeps;
  keeps.assign(m_rowCount, 1);
  for (const Clause& c : clauses) {
    const bool isNumber = c.column >= 0 &&
                          m_columns[static_cast<std::size_t>(c.column)].sort == LedgerColumn::Sort::Number;
    if (isNumber) {
      const Array<double> values = numbers(c.column, task);
      for (std::size_t i = 0; i < m_rowCount; ++i)
        keeps[i] = keeps[i] && !std::isnan(values[i]) && holds(c.compare, values[i], c.number);
      continue;
    }
    const std::string word = lowered(c.word);
    parallelPieces(task, m_rowCount, kGrain, [&](std::size_t begin, std::size_t end) {
      for (std::size_t i = begin; i < end; ++i) {
        if (!keeps[i]) continue;
        bool isFound = false;
        if (c.column >= 0) {
          isFound = matches(word, lowered(text(i, c.column))) == (c.compare == Compare::Equal);
        } else {
          for (int k = 0; k < static_cast<int>(m_columns.size()) && !isFound; ++k)
            if (m_columns[static_cast<std::size_t>(k)].sort != LedgerColumn::Sort::Number)
              isFound = lowered(text(i, k)).find(word) != std::string::npos;
        }
        keeps[i] = isFound;
      }
    });
  }
  return keeps;
}

Array<std::uint32_t> Ledger::sorted(Array<std::uint32_t> rows, int column, bool isFalling, const Task& task) const {
  const LedgerColumn& c = m_columns[static_cast<std::size_t>(column)];
  Array<double> keys;
  if (c.sort == LedgerColumn::Sort::Number) {
    keys = numbers(column, task);
  } else if (c.sort == LedgerColumn::Sort::Text) {
    std::set<std::string> distinct;
    std::vector<std::string> all(m_rowCount);
    for (const std::uint32_t r : rows) distinct.insert(all[r] = text(r, column));
    std::unordered_map<std::string, double> rank;
    for (const std::string& s : distinct) rank.emplace(s, static_cast<double>(rank.size()));
    keys.assign(m_rowCount, 0.0);
    for (const std::uint32_t r : rows) keys[r] = rank[all[r]];
  } else {
    const auto byId = [&](std::uint32_t row) {
      const Place at = placeOf(row);
      return m_parts[at.part].points->id[at.index];
    };
    std::stable_sort(rows.begin(), rows.end(), [&](std::uint32_t a, std::uint32_t b) {
      return isFalling ? byId(a) > byId(b) : byId(a) < byId(b);
    });
    return rows;
  }
  std::stable_sort(rows.begin(), rows.end(), [&](std::uint32_t a, std::uint32_t b) {
    const double x = keys[a];
    const double y = keys[b];
    if (std::isnan(x) || std::isnan(y))
      return !std::isnan(x) && std::isnan(y);  // rows without the attribute come last, either way round
    return isFalling ? x > y : x < y;
  });
  return rows;
}

Result<void> Ledger::writeCsv(const std::string& path, const Array<std::uint32_t>& rows, const Task& task) const {
  SafeFile file(path);
  std::string line;
  for (const LedgerColumn& c : m_columns) line += (line.empty() ? "" : ",") + csvField(c.name);
  file.write(line + "\n");
  for (std::size_t i = 0; i < rows.size(); ++i) {
    if (i % 4096 == 0 && task.isCancelled()) return Failure(cancelled());
    line.clear();
    for (int k = 0; k < static_cast<int>(m_columns.size()); ++k) {
      if (k > 0) line += ',';
      if (m_columns[static_cast<std::size_t>(k)].sort != LedgerColumn::Sort::Number)
        line += csvField(text(rows[i], k));
      else if (const double v = number(rows[i], k); !std::isnan(v))
        line += fmt::format("{:.9g}", v);
    }
    file.write(line + "\n");
  }
  return file.commit();
}

}  // namespace arvesk
