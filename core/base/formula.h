// Formulas as people type them, by muParser: + - * / ^, comparisons, ?:, and its functions, over named numbers.
#pragma once

#include "core/base/result.h"

#include <memory>
#include <string>
#include <vector>

namespace arvesk {

class Formula {
 public:
  /// Compiles `text`. The names it uses are found by themselves; fails with the place of the error in words ("at place
  /// 7").
  static Result<Formula> compile(const std::string& text);

  const std::vector<std::string>& names() const { return m_names; }
  /// Values for `count` rows; columns[i] holds the rows of names()[i]. A result that is not finite becomes 0.
  void evaluate(const std::vector<const double*>& columns, std::size_t count, double* out) const;
  /// The value for one row, finite or not.
  double evaluate(const std::vector<double>& row) const;

 private:
  std::string m_text;
  std::vector<std::string> m_names;
};

}  // namespace arvesk
