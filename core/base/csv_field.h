// A field of a CSV table.
#pragma once

#include <string>

namespace arvesk {

/// Quoted where the text would end the field or the row (RFC 4180; a carriage return alone ends a row for many), or
/// where space around it would be taken away.
inline std::string csvField(const std::string& text) {
  const bool isSpaced = !text.empty() && (text.front() == ' ' || text.back() == ' ');
  if (!isSpaced && text.find_first_of(",\"\n\r") == std::string::npos) return text;
  std::string out = "\"";
  for (const char c : text) out += c == '"' ? std::string("\"\"") : std::string(1, c);
  return out + '"';
}

}  // namespace arvesk
