// The words in our sources: every string between quotes, with what stands before it.
#pragma once

#include <cctype>
#include <string>
#include <string_view>
#include <vector>

namespace arvesk::test {

struct Literal {
  std::string words;   // with the escapes of C resolved; neighbors in quotes are one
  std::string before;  // up to 200 characters of code before it
};

/// The strings of a source in C++, without comments, includes and characters in single quotes.
inline std::vector<Literal> literalsOf(std::string_view s) {
  std::vector<Literal> out;
  std::string code;     // without comments
  bool isOpen = false;  // the last literal may go on
  const auto add = [&](const std::string& words) {
    if (isOpen)
      out.back().words += words;
    else
      out.push_back({words, code.size() > 200 ? code.substr(code.size() - 200) : code});
    isOpen = true;
  };
  for (std::size_t i = 0; i < s.size(); ++i) {
    const char c = s[i];
    if (s.substr(i).starts_with("//")) {
      i = std::min(s.find('\n', i), s.size());
      continue;
    }
    if (s.substr(i).starts_with("#include")) {
      i = std::min(s.find('\n', i), s.size());
      continue;
    }
    const bool isWordBefore = i > 0 && (std::isalnum(static_cast<unsigned char>(s[i - 1])) || s[i - 1] == '_');
    if (s.substr(i).starts_with("R\"") && !isWordBefore) {
      const std::size_t open = s.find('(', i);
      const std::string close = ")" + std::string(s.substr(i + 2, open - i - 2)) + "\"";
      const std::size_t end = s.find(close, open);
      add(std::string(s.substr(open + 1, end - open - 1)));
      i = end + close.size() - 1;
      continue;
    }
    if (c == '\'' && !isWordBefore) {
      for (++i; i < s.size() && s[i] != '\''; ++i)
        if (s[i] == '\\') ++i;
      isOpen = false;
      continue;
    }
    if (c == '"') {
      std::string words;
      for (++i; i < s.size() && s[i] != '"'; ++i) {
        if (s[i] != '\\') {
          words += s[i];
          continue;
        }
        ++i;
        if (s[i] == 'u') {  // all that we use stand in the basic plane
          const auto code16 = static_cast<unsigned>(std::stoul(std::string(s.substr(i + 1, 4)), nullptr, 16));
          words += static_cast<char>(0xE0 | (code16 >> 12));
          words += static_cast<char>(0x80 | ((code16 >> 6) & 0x3F));
          words += static_cast<char>(0x80 | (code16 & 0x3F));
          i += 4;
        } else {
          words += s[i] == 'n' ? '\n' : s[i] == 't' ? '\t' : s[i];
        }
      }
      add(words);
      continue;
    }
    if (!std::isspace(static_cast<unsigned char>(c))) isOpen = false;
    code += c;
  }
  return out;
}

}  // namespace arvesk::test
