// What a file can be split into: parts by name, what lies below a node, pieces that hang together.
#pragma once

#include "core/geometry/surface.h"

#include <span>

namespace arvesk {

/// What of a file counts.
enum class PartBy {
  Whole,
  Part,   // the parts of one name
  Below,  // the parts of a node and of those below it
  Piece,  // triangles that hang together, by number from 1
};

/// Triangles that share a place hang together.
struct LoosePieces {
  Array<std::uint32_t> start;      // piece → place in `triangles`; one more at the end
  Array<std::uint32_t> triangles;  // rising within a piece; pieces in order of their first one
  std::size_t count() const { return start.size() - 1; }
  std::span<const std::uint32_t> of(std::size_t piece) const {
    return {triangles.data() + start[piece], start[piece + 1] - start[piece]};
  }
  void countBytes(ByteCounter& counter) const {
    counter.add(this, (start.capacity() + triangles.capacity()) * sizeof(std::uint32_t));
  }
};
/// By joining sets (Tarjan, "Efficiency of a good but not linear set union algorithm", 1975) over welded places. Made
/// when first asked for.
std::shared_ptr<const LoosePieces> loosePiecesOf(const Surface& surface);

struct FileSplits {
  std::vector<std::string> parts;  // that have triangles, each name once
  struct Parent {
    std::string name;
    std::vector<std::string> children;  // nodes right below it that hold parts
  };
  std::vector<Parent> parents;  // those of two children or more
  std::size_t pieces = 0;
  void countBytes(ByteCounter& counter) const;
};
/// Made when first asked for: a hundred props of one file ask the same.
std::shared_ptr<const FileSplits> splitsOf(const Surface& surface);

/// That of a file, with the nodes that lie in it. Fails when there is none of the name; says what there is.
Result<Surface> cutOut(const Surface& file, PartBy by, const std::string& name);

}  // namespace arvesk
