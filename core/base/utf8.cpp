#include "core/base/utf8.h"

namespace arvesk {
namespace {

/// Bytes of the character that begins at `at`; 0 when none does.
std::size_t characterAt(std::string_view text, std::size_t at) {
  const auto byte = [&](std::size_t k) { return at + k < text.size() ? static_cast<unsigned char>(text[at + k]) : 0U; };
  const unsigned first = byte(0);
  if (first < 0x80) return 1;
  const std::size_t size = first >= 0xc2 && first <= 0xdf   ? 2
                           : first >= 0xe0 && first <= 0xef ? 3
                           : first >= 0xf0 && first <= 0xf4 ? 4
                                                            : 0;
  for (std::size_t k = 1; k < size; ++k)
    if ((byte(k) & 0xc0U) != 0x80U) return 0;
  const unsigned second = byte(1);
  if ((first == 0xe0 && second < 0xa0) || (first == 0xed && second > 0x9f) || (first == 0xf0 && second < 0x90) ||
      (first == 0xf4 && second > 0x8f))
    return 0;
  return size;
}

}  // namespace

bool isUtf8(std::string_view text) {
  for (std::size_t at = 0; at < text.size();) {
    const std::size_t size = characterAt(text, at);
    if (size == 0) return false;
    at += size;
  }
  return true;
}

std::string asUtf8(std::string text) {
  if (isUtf8(text)) return text;
  std::string out;
  out.reserve(text.size() + text.size() / 8);
  for (const char c : text) {
    const auto byte = static_cast<unsigned char>(c);
    if (byte < 0x80) {
      out += c;
    } else {
      out += static_cast<char>(0xc0U | (byte >> 6U));
      out += static_cast<char>(0x80U | (byte & 0x3fU));
    }
  }
  return out;
}

}  // namespace arvesk
