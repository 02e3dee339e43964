// The parameters that every mask ends with: invert and output range.
#pragma once

#include "core/plan/node_kind.h"

namespace arvesk::nodes {

template <typename P>
void addFinishParams(std::vector<ParamSpec>& params) {
  params.push_back(param<P>("invert", static_cast<bool P::*>(&P::isInverted), ARVESK_TEXT("node", "Invert"),
                            ARVESK_TEXT("node", "1 becomes 0 and 0 becomes 1, before the output range.")));
  params.push_back(param<P>("output", static_cast<Range P::*>(&P::output), ARVESK_TEXT("node", "Output range"),
                            ARVESK_TEXT("node", "What 0 and 1 become."))
                       .hard(-100, 100)
                       .usual(0, 1, 0.01));
  putUnder(params, ARVESK_TEXT("node", "Output"), {"output"});
}

inline OutputSpec maskOutput() { return {"mask", ValueType::Mask, ARVESK_TEXT("node", "Mask")}; }

}  // namespace arvesk::nodes
