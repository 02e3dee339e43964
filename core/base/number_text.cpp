#include "core/base/number_text.h"

#include <cctype>
#include <cstdio>

namespace arvesk {
namespace {

constexpr std::size_t kLeastDigits = 5;  // four are a year or a tile as often as a count

bool isDigit(char c) { return c >= '0' && c <= '9'; }

/// What may stand beside a number that is one.
bool isApart(char c) { return c == ' ' || c == '(' || c == ')' || c == '[' || c == ']' || c == '\n' || c == '\t'; }

std::string grouped(std::string_view digits) {
  std::string out;
  for (std::size_t i = 0; i < digits.size(); ++i) {
    if (i > 0 && (digits.size() - i) % 3 == 0) out += ',';
    out += digits[i];
  }
  return out;
}

}  // namespace

std::string withGroupedNumbers(std::string_view words) {
  std::string out;
  bool isQuoted = false;
  for (std::size_t i = 0; i < words.size();) {
    if (words[i] == '"') isQuoted = !isQuoted;
    const bool isStart = isDigit(words[i]) && (i == 0 || isApart(words[i - 1]) ||
                                               static_cast<unsigned char>(words[i - 1]) >= 0x80);  // after ×, − or –
    if (isQuoted || !isStart) {
      out += words[i++];
      continue;
    }
    std::size_t end = i;
    while (end < words.size() && isDigit(words[end])) ++end;
    const std::size_t whole = end - i;
    std::size_t rest = end;  // of a fraction or an exponent
    if (rest + 1 < words.size() && words[rest] == '.' && isDigit(words[rest + 1]))
      for (++rest; rest < words.size() && isDigit(words[rest]);) ++rest;
    bool isExponent = false;
    if (rest + 2 < words.size() && words[rest] == 'e' && words[rest + 1] == '+' && isDigit(words[rest + 2])) {
      isExponent = true;
      for (rest += 2; rest < words.size() && isDigit(words[rest]);) ++rest;
    }
    const bool isEnd = rest == words.size() || isApart(words[rest]) || words[rest] == ',' || words[rest] == ';' ||
                       words[rest] == ':' ||
                       (words[rest] == '.' && (rest + 1 == words.size() || isApart(words[rest + 1]))) ||
                       static_cast<unsigned char>(words[rest]) >= 0x80;
    // "1.2.3" and "10:30" are none.
    const bool goesOn = rest + 1 < words.size() && (words[rest] == '.' || words[rest] == ',' || words[rest] == ':') &&
                        isDigit(words[rest + 1]);
    if (!isEnd || goesOn || (whole < kLeastDigits && !isExponent)) {
      out += words.substr(i, rest - i);
      i = rest;
      continue;
    }
    if (isExponent) {
      double value = 0;
      std::from_chars(words.data() + i, words.data() + rest, value);
      if (value < 1e15) {
        char plain[32];
        std::snprintf(plain, sizeof plain, "%.0f", value);
        out += grouped(plain);
      } else {
        out += words.substr(i, rest - i);
      }
    } else {
      out += grouped(words.substr(i, whole));
      out += words.substr(end, rest - end);
    }
    i = rest;
  }
  return out;
}

}  // namespace arvesk
