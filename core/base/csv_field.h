// A field of a CSV table.
#pragma once

#include "core/base/number_text.h"

#include <string>
#include <string_view>

namespace arvesk {

/// Whether a spreadsheet would take it for a formula, and run it: it begins with one of these signs, behind any number
/// of guards, and is no number.
inline bool looksLikeFormula(std::string_view text) {
  const std::size_t at = text.find_first_not_of('\'');
  if (at == std::string_view::npos || std::string_view("=+-@\t\r").find(text[at]) == std::string_view::npos)
    return false;
  return at > 0 || !numberIn(std::string(text));
}

/// Guarded by an apostrophe where a spreadsheet would run it (as OWASP advises against CSV injection), quoted where it
/// would end the field or the row (RFC 4180; a carriage return alone ends a row for many), or where space around it
/// would be taken away.
inline std::string csvField(const std::string& text) {
  const std::string guarded = looksLikeFormula(text) ? "'" + text : text;
  const bool isSpaced = !text.empty() && (text.front() == ' ' || text.back() == ' ');
  if (!isSpaced && guarded.find_first_of(",\"\n\r\t") == std::string::npos) return guarded;
  std::string out = "\"";
  for (const char c : guarded) out += c == '"' ? std::string("\"\"") : std::string(1, c);
  return out + '"';
}

/// The text that csvField was given, of a field whose quotes were taken off.
inline std::string withoutGuard(std::string text) {
  if (!text.empty() && text.front() == '\'' && looksLikeFormula(text)) text.erase(0, 1);
  return text;
}

}  // namespace arvesk
