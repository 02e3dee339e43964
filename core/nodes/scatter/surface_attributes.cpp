#include "core/nodes/scatter/surface_attributes.h"

namespace arvesk::nodes {
namespace {

/// Numbers that differ from vertex to vertex.
const Column<float>* numbersOf(const AttributeColumn& column) {
  const auto* numbers = std::get_if<Column<float>>(&column);
  return numbers && !numbers->isConstant() ? numbers : nullptr;
}

bool hasParts(const Surface& s) { return s.parts.size() > 1 && !s.faceParts.empty(); }
bool hasMaterials(const Surface& s) { return s.materials.size() > 1 && !s.faceMaterials.empty(); }

}  // namespace

std::vector<std::string> carriedNames(const Surface& s) {
  std::vector<std::string> out;
  for (const auto& [name, column] : s.vertexAttributes)
    if (numbersOf(column)) out.push_back(name);
  if (!s.colors.empty()) out.emplace_back("color");
  if (hasParts(s)) out.emplace_back("part");
  if (hasMaterials(s)) out.emplace_back("material");
  return out;
}

void carryAttributes(Points& points, const Surface& s, const Array<std::uint32_t>& face,
                     const std::function<Vec2(std::size_t)>& weightsOf,
                     const std::function<bool(const std::string&)>& isWanted) {
  const std::size_t count = face.size();
  const auto filled = [&](auto value, const auto& at) {
    Array<decltype(value)> out(count);
    parallelPieces({}, count, 8192, [&](std::size_t begin, std::size_t end) {
      for (std::size_t i = begin; i < end; ++i) out[i] = at(i);
    });
    return out;
  };
  for (const auto& [name, column] : s.vertexAttributes)
    if (const auto* numbers = numbersOf(column); numbers && isWanted(name))
      points.attributes.insert_or_assign(name, Column<float>(filled(0.0F, [&](std::size_t i) {
                                           return Surface::between(*numbers, s.triangles[face[i]], weightsOf(i));
                                         })));
  if (!s.colors.empty() && isWanted("color"))
    points.attributes.insert_or_assign("color", Column<Vec3>(filled(Vec3(0), [&](std::size_t i) {
                                         return Vec3(Surface::between(s.colors, s.triangles[face[i]], weightsOf(i)));
                                       })));
  const auto addText = [&](const char* name, const std::vector<std::string>& names,
                           const SharedArray<std::uint16_t>& ofFace) {
    points.attributes.insert_or_assign(
        name, TextColumn{std::make_shared<const std::vector<std::string>>(names),
                         Column<std::uint32_t>(
                             filled(std::uint32_t{0}, [&](std::size_t i) { return std::uint32_t{ofFace[face[i]]}; }))});
  };
  if (hasParts(s) && isWanted("part")) addText("part", s.parts, s.faceParts);
  if (hasMaterials(s) && isWanted("material")) {
    std::vector<std::string> names;
    for (const Material& m : s.materials) names.push_back(m.name);
    addText("material", names, s.faceMaterials);
  }
}

}  // namespace arvesk::nodes
