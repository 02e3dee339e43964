// The manual: one page per node kind, made from its declaration, with a small picture of what it does on a made-up
// slope.
#pragma once

#include "core/plan/node_kind.h"

#include <functional>

namespace arvesk {

/// What stands for a text of the program in another language; nothing for English.
using Wording = std::function<std::string(const std::string&)>;

/// Markdown. The picture is linked as "<page>.png" when `hasPicture`; without a name the page is the kind's id.
std::string manualPage(const NodeKind& kind, bool hasPicture, const Wording& wording = {},
                       const std::string& page = {});

/// A kind that is not registered, such as a sub-plan of a library, and its page.
struct ManualEntry {
  const NodeKind* kind;
  std::string page;
};
/// Markdown: all kinds by family, with links to "<kind id>.md", and those of `more` after them.
std::string manualIndex(const Wording& wording = {}, const std::vector<ManualEntry>& more = {});

/// 0xffRRGGBB, row by row; empty when it was cancelled. Dark points are what the first output passes on, pale ones what
/// the second does.
Array<std::uint32_t> manualPicture(const NodeKind& kind, int width, int height, const Task& task);

}  // namespace arvesk
