// Tables of points: random ones read back cell by cell, whatever separates and quotes them, and bytes of any kind never
// take the reader down.
#include "core/base/csv_field.h"
#include "core/formats/csv_reader.h"
#include "tests/support/support.h"

#include <random>

using namespace arvesk;

namespace {

enum class Sort { Whole, Number, Text };

struct Made {
  std::vector<std::string> names;
  std::vector<Sort> sorts;
  std::vector<std::vector<std::string>> cells;  // rows of columns, as meant
  std::string text;
};

class Maker {
 public:
  explicit Maker(unsigned seed) : m_random(seed) {}

  Made table(char separator) {
    Made out;
    const int columns = 2 + below(6);
    const int rows = below(40);
    const char* end = below(2) == 0 ? "\n" : "\r\n";
    for (int c = 0; c < columns; ++c) {
      out.names.push_back("col" + std::to_string(c) + (below(3) == 0 ? " with, some; \"words\"" : ""));
      out.sorts.push_back(static_cast<Sort>(below(3)));
    }
    if (below(3) == 0) out.text = "\xef\xbb\xbf";
    line(out.text, out.names, separator, end);
    for (int r = 0; r < rows; ++r) {
      std::vector<std::string> row;
      for (const Sort sort : out.sorts) row.push_back(cell(sort, r, separator));
      line(out.text, row, separator, end);
      out.cells.push_back(std::move(row));
      while (below(8) == 0) out.text += end;  // empty lines count for nothing
    }
    if (below(2) == 0 && out.text.ends_with(end))
      out.text = out.text.substr(0, out.text.size() - std::strlen(end));  // no end of line at the end
    return out;
  }
  int below(int n) { return static_cast<int>(m_random() % static_cast<unsigned>(n)); }

 private:
  std::string cell(Sort sort, int row, char separator) {
    if (sort == Sort::Whole) return std::to_string(static_cast<std::uint64_t>(m_random()) << below(32));
    if (sort == Sort::Number) {
      std::string number = fmt::format("{}", (static_cast<double>(m_random()) - 2e9) / 1024 + 0.0001);
      if (separator == ';' && below(2) == 0) std::replace(number.begin(), number.end(), '.', ',');
      return number;
    }
    if (row == 0) return "word";  // so that it is no column of numbers by chance
    static const std::vector<std::string> words{"",           "marram",     "a,b",         "x;y", "tab\there",
                                                "say \"so\"", "two\nlines", "gr\xc3\xbcn", "12",  "-0.5",
                                                "\"",         "''",         "1,5"};
    return words[static_cast<std::size_t>(below(static_cast<int>(words.size())))];
  }
  void line(std::string& text, const std::vector<std::string>& cells, char separator, const char* end) {
    for (std::size_t c = 0; c < cells.size(); ++c) {
      if (c > 0) text += separator;
      const bool isQuoted = cells[c].find_first_of(",;\t\"\n") != std::string::npos || below(5) == 0;
      if (!isQuoted) {
        text += cells[c];
        continue;
      }
      text += '"';
      for (const char ch : cells[c]) text += ch == '"' ? std::string("\"\"") : std::string(1, ch);
      text += '"';
    }
    text += end;
  }

  std::mt19937 m_random;
};

}  // namespace

class TestTables : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void randomTablesReadBack_data() {
    QTest::addColumn<char>("separator");
    QTest::newRow("commas") << ',';
    QTest::newRow("semicolons") << ';';
    QTest::newRow("tabs") << '\t';
  }
  void randomTablesReadBack() {
    QFETCH(char, separator);
    for (unsigned seed = 0; seed < 400; ++seed) {
      Maker maker(seed);
      const Made made = maker.table(separator);
      // The head's names hold other separators only inside quotes; a table is told by what its head has most of.
      const std::string head = made.text.substr(0, made.text.find('\n'));
      if (std::any_of(std::begin(",;\t"), std::end(",;\t") - 1, [&](char c) {
            return c != separator &&
                   std::count(head.begin(), head.end(), c) >= std::count(head.begin(), head.end(), separator);
          }))
        continue;
      const auto table = parseCsv(made.text, {});
      QVERIFY2(table, table ? "" : (std::to_string(seed) + ": " + table.error().message).c_str());
      QVERIFY(table->names == made.names);
      QCOMPARE(table->rowCount, made.cells.size());
      for (std::size_t c = 0; c < made.names.size() && !made.cells.empty(); ++c)
        for (std::size_t r = 0; r < made.cells.size(); ++r) {
          std::string meant = made.cells[r][c];
          if (made.sorts[c] == Sort::Text) {
            QCOMPARE(std::get<TextCells>(table->columns[c])[r], meant);
          } else if (made.sorts[c] == Sort::Whole) {
            QCOMPARE(std::get<Array<std::uint64_t>>(table->columns[c])[r], std::stoull(meant));
          } else {
            std::replace(meant.begin(), meant.end(), ',', '.');
            QCOMPARE(std::get<Array<double>>(table->columns[c])[r], std::stod(meant));
          }
        }
    }
  }

  /// What is written is read back, whatever the texts hold.
  void whatIsWrittenIsReadBack() {
    const char letters[] = "a,b;\t\"\r\n ";
    Maker maker(7);
    std::vector<std::string> meant;
    std::string text = "name,more\n";
    for (int row = 0; row < 2000; ++row) {
      std::string word = "w";
      for (int n = maker.below(6); n > 0; --n) word += letters[maker.below(static_cast<int>(sizeof letters) - 1)];
      text += csvField(word) + ",x\n";
      meant.push_back(word);
    }
    const auto table = parseCsv(text, {});
    QVERIFY2(table, table ? "" : table.error().message.c_str());
    QCOMPARE(std::get<TextCells>(table->columns[0]), meant);
  }

  // Any change of any byte gives a table whose columns are of one length, or a reason.
  void mutatedTablesNeverCrash() {
    for (unsigned seed = 0; seed < 3000; ++seed) {
      Maker maker(seed);
      std::string text = maker.table(",;\t"[seed % 3]).text;
      for (int n = 1 + maker.below(6); n > 0 && !text.empty(); --n) {
        const auto at = static_cast<std::size_t>(maker.below(static_cast<int>(text.size())));
        switch (maker.below(4)) {
          case 0: text[at] = static_cast<char>(maker.below(256)); break;
          case 1: text.erase(at, static_cast<std::size_t>(1 + maker.below(20))); break;
          case 2: text.insert(at, 1, "\",;\n\r\t\0"[maker.below(7)]); break;
          default: text.resize(at);
        }
      }
      const auto table = parseCsv(text, {});
      if (!table) {
        QVERIFY(table.error().message.starts_with("CSV: "));
        continue;
      }
      QCOMPARE(table->columns.size(), table->names.size());
      for (const TableColumn& column : table->columns)
        QCOMPARE(std::visit([](const auto& c) { return c.size(); }, column), table->rowCount);
    }
  }
};

QTEST_GUILESS_MAIN(TestTables)
#include "tst_tables.moc"
