// Formulas against another way to work them out: random expressions are written as text and, beside it, computed as
// they are built.
#include "core/base/formula.h"
#include "tests/support/kinds.h"

#include <fmt/format.h>

#include <random>

using namespace arvesk;

namespace {

struct Term {
  std::string text;
  double value;
  bool isSure = true;  // false where rounding could tip a comparison
};

/// A random expression over a, b, c, and its value.
class Maker {
 public:
  Maker(unsigned seed, double a, double b, double c) : m_random(seed), m_values{a, b, c} {}

  Term make(int depth) {
    if (depth == 0 || m_random() % 6 == 0) return leaf();
    const Term x = make(depth - 1);
    const Term y = make(depth - 1);
    const bool isSure = x.isSure && y.isSure;
    switch (m_random() % 12) {
      case 0: return {fmt::format("({} + {})", x.text, y.text), x.value + y.value, isSure};
      case 1: return {fmt::format("({} - {})", x.text, y.text), x.value - y.value, isSure};
      case 2: return {fmt::format("{} * {}", x.text, y.text), x.value * y.value, isSure};
      case 3: return {fmt::format("({} / (2 + abs({})))", x.text, y.text), x.value / (2 + std::abs(y.value)), isSure};
      case 4: return {fmt::format("min({}, {})", x.text, y.text), std::min(x.value, y.value), isSure};
      case 5: return {fmt::format("max({}, {})", x.text, y.text), std::max(x.value, y.value), isSure};
      case 6: return {fmt::format("sqrt(abs({}))", x.text), std::sqrt(std::abs(x.value)), isSure};
      case 7: return {fmt::format("sin({})", x.text), std::sin(x.value), isSure};
      case 8: return {fmt::format("(abs({})^2)", x.text), x.value * x.value, isSure};
      case 9: {
        const Term z = make(depth - 1);
        return {fmt::format("({} < {} ? {} : {})", x.text, y.text, z.text, x.text),
                x.value < y.value ? z.value : x.value, isSure && z.isSure && std::abs(x.value - y.value) > 1e-9};
      }
      case 10:
        return {fmt::format("({} >= {})", x.text, y.text), x.value >= y.value ? 1.0 : 0.0,
                isSure && std::abs(x.value - y.value) > 1e-9};
      default: return {fmt::format("(-({}))", x.text), -x.value, isSure};
    }
  }

 private:
  Term leaf() {
    const std::size_t i = m_random() % 5;
    if (i < 3) return {std::string(1, static_cast<char>('a' + i)), m_values[i]};
    const double number = static_cast<double>(m_random() % 400) / 100;
    return {fmt::format("{}", number), number};
  }

  std::mt19937 m_random;
  std::array<double, 3> m_values;
};

/// Spelled so that products inside of a sum or power stay together.
Term wrapped(Term t) { return {"(" + t.text + ")", t.value, t.isSure}; }

}  // namespace

class TestFormula : public QObject {
  Q_OBJECT

 private Q_SLOTS:
  void randomExpressionsHaveTheValueTheyWereBuiltWith() {
    int sure = 0;
    for (unsigned seed = 0; seed < 3000; ++seed) {
      const std::array<double, 3> v{std::sin(seed * 1.7) * 2, std::cos(seed * 0.9) * 3, std::sin(seed * 0.31)};
      const Term t = wrapped(Maker(seed, v[0], v[1], v[2]).make(1 + static_cast<int>(seed % 5)));
      const auto formula = Formula::compile(t.text);
      QVERIFY2(formula, formula ? "" : (t.text + ": " + formula.error().message).c_str());
      std::vector<double> row;
      for (const std::string& name : formula->names()) {
        QVERIFY2(name.size() == 1 && name[0] >= 'a' && name[0] <= 'c', name.c_str());
        row.push_back(v[static_cast<std::size_t>(name[0] - 'a')]);
      }
      if (!t.isSure) continue;
      ++sure;
      const double one = formula->evaluate(row);
      QVERIFY2(test::within(one, t.value, 1e-9, 1e-9),
               fmt::format("{} is {} and should be {}", t.text, one, t.value).c_str());
      // Many rows at once give the same; the values in between are other rows.
      std::vector<std::vector<double>> columns(row.size());
      for (std::size_t c = 0; c < row.size(); ++c)
        for (int i = 0; i < 40; ++i) columns[c].push_back(i == 23 ? row[c] : row[c] + i);
      std::vector<const double*> pointers;
      for (const auto& column : columns) pointers.push_back(column.data());
      std::array<double, 40> out{};
      formula->evaluate(pointers, out.size(), out.data());
      QVERIFY2(test::within(out[23], t.value, 1e-9, 1e-9), t.text.c_str());
    }
    QVERIFY(sure > 2500);
  }

  void faultsSayWhere_data() {
    QTest::addColumn<QString>("text");
    for (const char* text : {"", "a +", "(a", "a)", "a b", "min(a", "min()", "1..2", "a ? b", "foo(a)", "a @ b",
                             "\"words\"", "a = = 3", "((((((((((a", "+*", ","})
      QTest::newRow(*text ? text : "nothing") << QString::fromLatin1(text);
  }
  void faultsSayWhere() {
    QFETCH(QString, text);
    const auto formula = Formula::compile(text.toStdString());
    QVERIFY2(!formula, "an impossible formula was taken");
    QVERIFY(formula.error().message.size() > 8);
  }

  /// Whatever is typed, it is a formula or a fault, and never a crash.
  void anythingMayBeTyped() {
    std::mt19937 random(5);
    const std::string letters = "abcxyz01.9 +-*/^()<>=!?:,&|sinmaqrtlo_\"'#%\t\xc3\xa9";
    for (int i = 0; i < 20'000; ++i) {
      std::string text;
      for (std::size_t n = random() % 14; n > 0; --n) text += letters[random() % letters.size()];
      const auto formula = Formula::compile(text);
      if (!formula) {
        QVERIFY(!formula.error().message.empty());
        continue;
      }
      const std::vector<double> row(formula->names().size(), 0.25);
      (void)formula->evaluate(row);
    }
  }

  /// As a mask: values are clamped to 0…1, and what is no number counts 0.
  void masksStayBetweenNothingAndAll_data() {
    QTest::addColumn<QString>("text");
    for (const char* text : {"x * 100", "1 / 0", "sqrt(0 - 1)", "height - 1000", "x / (x - x)", "log(0)", "slope / 90",
                             "no_such_attribute + 0.5"})
      QTest::newRow(text) << QString::fromLatin1(text);
  }
  void masksStayBetweenNothingAndAll() {
    QFETCH(QString, text);
    test::Bench bench;
    const auto out = bench.run("expression", {}, {{"text", text.toStdString()}});
    QVERIFY2(out, out ? "" : toLine(out.error()).c_str());
    for (const float v : maskValues({}, *std::get<MaskPtr>(out->front()), *test::pointsOnGround()))
      QVERIFY(v >= 0 && v <= 1);
  }
};

QTEST_GUILESS_MAIN(TestFormula)
#include "tst_formula.moc"
