// How far a point stays from a skin: a fixed length, or as far as its prop reaches.
#pragma once

#include "core/plan/node_kind.h"

namespace arvesk::nodes {

enum class MarginBy { Fixed, Prop };

template <typename P>
void addMarginParams(std::vector<ParamSpec>& params, MarginBy P::*by, float P::*meters, const char* propHelp) {
  params.push_back(param("margin_by", by, ARVESK_TEXT("node", "Margin is"), propHelp,
                         {{"fixed", ARVESK_TEXT("node", "Fixed")}, {"prop", ARVESK_TEXT("node", "Prop's reach")}}));
  params.push_back(param("margin", meters, ARVESK_TEXT("node", "Margin"),
                         ARVESK_TEXT("node", "Least depth under the skin; added to the prop's reach, if that counts."))
                       .in(Unit::Meter)
                       .hard(0, 1e3)
                       .usual(0, 2, 0.01));
}

}  // namespace arvesk::nodes
