// Props of the jetty, and the jetty itself with its layout.
#pragma once

#include <string>

namespace arvesk::demo {
void makeFittings(const std::string& kitFolder);
void makeJetty(const std::string& folder);
}  // namespace arvesk::demo
