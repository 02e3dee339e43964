// Names in files of others, in the one encoding that everything here uses.
#pragma once

#include <cstddef>
#include <string>
#include <string_view>

namespace arvesk {

/// Is `text` well-formed UTF-8 (RFC 3629: shortest forms, no surrogates, nothing above U+10FFFF)?
bool isUtf8(std::string_view text);

/// `text` itself when it is UTF-8; else its bytes are taken for Latin-1 (ISO 8859-1), which older files are written in,
/// so that "gr\xfcn" is "grün".
std::string asUtf8(std::string text);

}  // namespace arvesk
