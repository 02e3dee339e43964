#include "core/geometry/file_parts.h"

#include "core/base/task.h"
#include "core/geometry/welding.h"

#include <fmt/format.h>

#include <charconv>
#include <numeric>
#include <set>

namespace arvesk {
namespace {

std::string listed(const std::vector<std::string>& names) {
  constexpr std::size_t kMost = 12;
  std::string out;
  for (std::size_t i = 0; i < std::min(names.size(), kMost); ++i) out += (i > 0 ? ", " : "") + names[i];
  return names.size() > kMost ? fmt::format("{} and {} more", out, names.size() - kMost) : out;
}

/// Which parts have triangles.
std::vector<std::uint8_t> usedParts(const Surface& s) {
  std::vector<std::uint8_t> isUsed(s.parts.size(), 0);
  if (s.faceParts.empty()) {
    if (!isUsed.empty() && s.faceCount() > 0) isUsed.front() = 1;
  } else {
    for (const std::uint16_t part : s.faceParts)
      if (part < isUsed.size()) isUsed[part] = 1;
  }
  return isUsed;
}

/// Nodes of that name and all below them, by index.
std::vector<std::uint8_t> nodesBelow(const std::vector<SceneNode>& nodes, const std::string& name) {
  std::vector<std::uint8_t> isBelow(nodes.size(), 0);
  for (std::size_t i = 0; i < nodes.size(); ++i)
    isBelow[i] = nodes[i].name == name ||
                 (nodes[i].parent >= 0 && isBelow[static_cast<std::size_t>(nodes[i].parent)] != 0);
  return isBelow;
}

/// The nodes for which `keeps` is set; what hangs on one that is not kept stands for itself.
std::vector<SceneNode> keptNodes(const std::vector<SceneNode>& nodes, const std::vector<std::uint8_t>& keeps) {
  std::vector<SceneNode> out;
  std::vector<std::int32_t> place(nodes.size(), -1);
  for (std::size_t i = 0; i < nodes.size(); ++i) {
    if (!keeps[i]) continue;
    place[i] = static_cast<std::int32_t>(out.size());
    out.push_back(nodes[i]);
    if (const std::int32_t parent = nodes[i].parent; parent >= 0)
      out.back().parent = place[static_cast<std::size_t>(parent)];
  }
  return out;
}

}  // namespace

std::shared_ptr<const LoosePieces> loosePiecesOf(const Surface& s) {
  return s.derived.get<LoosePieces>(0, [&] {
    const auto welded = weldedOf(s);
    Array<std::uint32_t> lead(welded->vertex.size());
    std::iota(lead.begin(), lead.end(), 0U);
    const auto root = [&](std::uint32_t v) {
      while (lead[v] != v) v = lead[v] = lead[lead[v]];
      return v;
    };
    for (std::size_t t = 0; t < s.faceCount(); ++t) {
      endIfStoppedAt(t);
      const std::uint32_t a = root(welded->place[s.triangles[t].x]);
      for (const std::uint32_t v : {s.triangles[t].y, s.triangles[t].z}) {
        const std::uint32_t b = root(welded->place[v]);
        const std::uint32_t first = root(a);
        if (b != first) lead[std::max(first, b)] = std::min(first, b);
      }
    }
    constexpr std::uint32_t kNone = 0xffffffffU;
    Array<std::uint32_t> pieceOf(lead.size());
    std::fill(pieceOf.begin(), pieceOf.end(), kNone);
    auto out = std::make_shared<LoosePieces>();
    Array<std::uint32_t> ofTriangle(s.faceCount());
    Array<std::uint32_t> size;
    for (std::size_t t = 0; t < s.faceCount(); ++t) {
      endIfStoppedAt(t);
      std::uint32_t& piece = pieceOf[root(welded->place[s.triangles[t].x])];
      if (piece == kNone) {
        piece = static_cast<std::uint32_t>(size.size());
        size.push_back(0);
      }
      ofTriangle[t] = piece;
      ++size[piece];
    }
    out->start.assign(size.size() + 1, 0);
    std::partial_sum(size.begin(), size.end(), out->start.begin() + 1);
    out->triangles.resize(s.faceCount());
    Array<std::uint32_t> next(out->start.begin(), out->start.end() - 1);
    for (std::uint32_t t = 0; t < s.faceCount(); ++t) out->triangles[next[ofTriangle[t]]++] = t;
    return std::shared_ptr<const LoosePieces>(out);
  });
}

void FileSplits::countBytes(ByteCounter& counter) const {
  std::size_t bytes = sizeof(FileSplits);
  for (const std::string& name : parts) bytes += sizeof name + name.capacity();
  for (const Parent& parent : parents)
    for (const std::string& name : parent.children) bytes += sizeof name + name.capacity();
  counter.add(this, bytes);
}

namespace {

FileSplits foundIn(const Surface& s) {
  FileSplits out;
  const std::vector<std::uint8_t> isUsed = usedParts(s);
  std::set<std::string> names;
  for (std::size_t p = 0; p < isUsed.size(); ++p)
    if (isUsed[p] && names.insert(s.parts[p]).second) out.parts.push_back(s.parts[p]);
  // Which nodes hold parts, at or below themselves: parents come before their children.
  std::vector<std::uint8_t> holds(s.nodes.size(), 0);
  for (std::size_t i = s.nodes.size(); i-- > 0;) {
    holds[i] = holds[i] || names.contains(s.nodes[i].name);
    if (holds[i] && s.nodes[i].parent >= 0) holds[static_cast<std::size_t>(s.nodes[i].parent)] = 1;
  }
  for (std::size_t i = 0; i < s.nodes.size(); ++i) {
    FileSplits::Parent parent{s.nodes[i].name, {}};
    for (std::size_t k = i + 1; k < s.nodes.size(); ++k)
      if (holds[k] && s.nodes[k].parent == static_cast<std::int32_t>(i) &&
          std::find(parent.children.begin(), parent.children.end(), s.nodes[k].name) == parent.children.end())
        parent.children.push_back(s.nodes[k].name);
    if (parent.children.size() > 1) out.parents.push_back(std::move(parent));
  }
  out.pieces = loosePiecesOf(s)->count();
  return out;
}

}  // namespace

std::shared_ptr<const FileSplits> splitsOf(const Surface& s) {
  return s.derived.get<FileSplits>(0, [&] { return std::make_shared<const FileSplits>(foundIn(s)); });
}

Result<Surface> cutOut(const Surface& file, PartBy by, const std::string& name) {
  if (by == PartBy::Whole) return file;
  Array<std::uint32_t> faces;
  std::vector<std::uint8_t> nodes(file.nodes.size(), 0);
  if (by == PartBy::Piece) {
    std::size_t number = 0;
    std::from_chars(name.data(), name.data() + name.size(), number);
    const auto pieces = loosePiecesOf(file);
    if (number < 1 || number > pieces->count())
      return fail(ProblemCode::FileUnreadable,
                  fmt::format("there is no loose piece {}, the file has {}", name, pieces->count()),
                  "Take it out of the Kit, or bring back the file that it was made from");
    const auto own = pieces->of(number - 1);
    faces.assign(own.begin(), own.end());
  } else {
    nodes = nodesBelow(file.nodes, name);
    std::set<std::string> names{name};
    if (by == PartBy::Below)
      for (std::size_t i = 0; i < nodes.size(); ++i)
        if (nodes[i]) names.insert(file.nodes[i].name);
    std::vector<std::uint8_t> isOwn;
    for (const std::string& part : file.parts) isOwn.push_back(names.contains(part));
    for (std::uint32_t f = 0; f < file.faceCount(); ++f) {
      const std::size_t part = file.faceParts.empty() ? 0 : file.faceParts[f];
      if (part < isOwn.size() && isOwn[part]) faces.push_back(f);
    }
    if (faces.empty())
      return fail(
          ProblemCode::FileUnreadable, fmt::format("the file has no part \"{}\"", name),
          fmt::format("It has: {}. Take it out of the Kit, or name the part so again", listed(splitsOf(file)->parts)));
  }
  Surface out = cutTo(file, faces);
  out.nodes = keptNodes(file.nodes, nodes);
  return out;
}

}  // namespace arvesk
