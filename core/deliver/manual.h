// The manual: one page per node kind, made from its declaration, with a small picture of what it does on a made-up
// slope.
#pragma once

#include "core/plan/node_kind.h"

#include <functional>

namespace arvesk {

/// What stands for a text of the program in another language; nothing for English.
using Wording = std::function<std::string(const std::string&)>;

/// Markdown. The picture is linked as "<kind id>.png" when `hasPicture`.
std::string manualPage(const NodeKind& kind, bool hasPicture, const Wording& wording = {});
/// Markdown: all kinds by family, with links to "<kind id>.md".
std::string manualIndex(const Wording& wording = {});

/// 0xffRRGGBB, row by row; empty when it was cancelled. Dark points are what the first output passes on, pale ones what
/// the second does.
Array<std::uint32_t> manualPicture(const NodeKind& kind, int width, int height, const Task& task);

}  // namespace arvesk
