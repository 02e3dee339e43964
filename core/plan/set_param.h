// Setting a parameter by text, as on the command line: "Not on steep sand.slope=0,0,30,35".
#pragma once

#include "core/plan/document.h"

namespace arvesk {

/// `text` is "node title or uid.parameter=value", or "dial=value" for both qualities of a dial; numbers of vectors,
/// ranges and bands are separated by commas. "seed" and "skip" work on every node. In the file of a tool (Plan::tool)
/// "control=value" sets a front control of it.
Result<void> setParamByText(Plan& plan, const std::string& text);

/// A value of the declared type from text; fails with what the declaration allows.
Result<ParamValue> parseParam(const ParamSpec& spec, const std::string& text);

}  // namespace arvesk
