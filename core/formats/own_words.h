// What libraries throw and return, in words for people: theirs name functions and ranges of vectors.
#pragma once

#include <nlohmann/json.hpp>

#include <exception>
#include <string>
#include <string_view>

namespace arvesk {

/// Why a text is no JSON: the line and column, from 1, of what cannot be read.
std::string whyNotJson(const nlohmann::json::exception& e, std::string_view text);

/// Of what a reader threw. Errors of logic are files that name what they do not hold.
std::string inOwnWords(const std::exception& e);

/// Of what a reader returned: the reason, and its own words, cut to one line, quoted for who can read them.
std::string inOwnWords(std::string_view libraryText);

}  // namespace arvesk
