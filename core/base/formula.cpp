#include "core/base/formula.h"

#include <fmt/format.h>
#include <muParser.h>

#include <cmath>
#include <numbers>

/// Of OpenMP's runtime, which Debian's muParser uses in bulk mode.
extern "C" void omp_set_num_threads(int);

namespace arvesk {
namespace {

mu::Parser newParser() {
  // Pieces run on our own threads already; muParser must not start more in each.
  thread_local const bool isSet = (omp_set_num_threads(1), true);
  (void)isSet;
  mu::Parser parser;
  parser.DefineConst("pi", std::numbers::pi);
  return parser;
}

/// As muParser writes it: "=" compares, "and" and "or" join. `placeOf` says where each character stood.
std::string translated(const std::string& text, std::vector<std::size_t>& placeOf) {
  std::string out;
  const auto isWordAt = [&](std::size_t i) {
    return i < text.size() && (std::isalnum(static_cast<unsigned char>(text[i])) || text[i] == '_');
  };
  const auto put = [&](std::string_view piece, std::size_t at) {
    out += piece;
    placeOf.insert(placeOf.end(), piece.size(), at);
  };
  for (std::size_t i = 0; i < text.size();) {
    const auto word = [&](std::string_view w) {
      return text.compare(i, w.size(), w) == 0 && !isWordAt(i + w.size()) && (i == 0 || !isWordAt(i - 1));
    };
    if (word("and")) {
      put("&&", i);
      i += 3;
    } else if (word("or")) {
      put("||", i);
      i += 2;
    } else if (text[i] == '=' && (i == 0 || std::string_view("<>=!").find(text[i - 1]) == std::string_view::npos) &&
               (i + 1 == text.size() || text[i + 1] != '=')) {
      put("==", i);
      ++i;
    } else {
      put(text.substr(i, 1), i);
      ++i;
    }
  }
  placeOf.push_back(text.size());
  return out;
}

}  // namespace

Result<Formula> Formula::compile(const std::string& text) {
  Formula f;
  std::vector<std::size_t> placeOf;
  f.m_text = translated(text, placeOf);
  const auto faulty = [&](const mu::Parser::exception_type& e) {
    const std::string token = e.GetToken();
    std::string what;
    switch (e.GetCode()) {
      case mu::ecUNASSIGNABLE_TOKEN:
      case mu::ecUNEXPECTED_OPERATOR: what = fmt::format("\"{}\" cannot stand here", token); break;
      case mu::ecUNEXPECTED_EOF: what = "something is missing at the end"; break;
      case mu::ecMISSING_PARENS: what = "a bracket is not closed"; break;
      case mu::ecUNEXPECTED_PARENS: what = "a bracket too many"; break;
      case mu::ecTOO_MANY_PARAMS: what = fmt::format("too many values for {}", token); break;
      case mu::ecTOO_FEW_PARAMS: what = fmt::format("too few values for {}", token); break;
      case mu::ecUNEXPECTED_VAL:
      case mu::ecUNEXPECTED_VAR: what = fmt::format("an operator is missing before \"{}\"", token); break;
      default: what = e.GetMsg();
    }
    return fail(
        ProblemCode::BadParameter,
        fmt::format("{} (at place {})", what,
                    placeOf[std::min(static_cast<std::size_t>(std::max(e.GetPos(), 0)), placeOf.size() - 1)] + 1),
        "Numbers, names, + - * / ^, brackets, a < b, a = b, and, or, and functions such as min(a, b)");
  };
  if (text.find_first_not_of(" \t") == std::string::npos)
    return fail(ProblemCode::BadParameter, "the expression is empty", "Type one, such as slope < 20");
  if (text.size() > 4000) return fail(ProblemCode::BadParameter, "the expression is longer than 4000 characters");
  try {
    mu::Parser parser = newParser();
    parser.SetExpr(f.m_text);
    for (const auto& [name, variable] : parser.GetUsedVar()) f.m_names.push_back(name);
    // With all names known, a full parse finds what is left to find.
    std::vector<double> values(f.m_names.size(), 1.0);
    for (std::size_t i = 0; i < values.size(); ++i) parser.DefineVar(f.m_names[i], &values[i]);
    parser.Eval();
    if (parser.GetNumResults() != 1)
      return fail(ProblemCode::BadParameter, "several values; one is needed", "Take out the comma");
  } catch (const mu::Parser::exception_type& e) { return faulty(e); }
  return f;
}

void Formula::evaluate(const std::vector<const double*>& columns, std::size_t count, double* out) const {
  if (count == 0) return;
  // A parser of its own: muParser's bulk mode writes into the parser, and this is called from many threads.
  mu::Parser parser = newParser();
  for (std::size_t i = 0; i < m_names.size(); ++i) parser.DefineVar(m_names[i], const_cast<double*>(columns[i]));
  parser.SetExpr(m_text);
  parser.Eval(out, static_cast<int>(count));
  for (std::size_t i = 0; i < count; ++i)
    if (!std::isfinite(out[i])) out[i] = 0;
}

double Formula::evaluate(const std::vector<double>& row) const {
  std::vector<const double*> columns;
  for (const double& v : row) columns.push_back(&v);
  mu::Parser parser = newParser();
  for (std::size_t i = 0; i < m_names.size(); ++i) parser.DefineVar(m_names[i], const_cast<double*>(columns[i]));
  parser.SetExpr(m_text);
  return parser.Eval();
}

}  // namespace arvesk
