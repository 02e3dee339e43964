#include "core/props/quantities.h"

#include "core/geometry/prop.h"

#include <algorithm>
#include <array>
#include <cstring>

namespace arvesk {
namespace {

float slopeDeg(const Points& p, std::size_t i) { return degrees(angleBetween(p.groundNormal[i], kUp)); }

using Reader = float (*)(const Points&, std::size_t);
constexpr std::array<std::pair<const char*, Reader>, 7> kBuiltIn{{
    {"x", [](const Points& p, std::size_t i) { return p.position[i].x; }},
    {"y", [](const Points& p, std::size_t i) { return p.position[i].y; }},
    {"z", [](const Points& p, std::size_t i) { return p.position[i].z; }},
    {"height", [](const Points& p, std::size_t i) { return p.position[i].y; }},
    {"slope", &slopeDeg},
    {"size", [](const Points& p, std::size_t i) { return (p.size[i].x + p.size[i].y + p.size[i].z) / 3; }},
    {"footprint", [](const Points& p, std::size_t i) { return p.effectiveFootprint(i); }},
}};

bool isNamed(const std::string& attribute, const std::string& asked) {
  return attribute.size() == asked.size() &&
         std::equal(attribute.begin(), attribute.end(), asked.begin(),
                    [](char a, char b) { return a == b || (a == '-' && b == '_'); });
}

}  // namespace

bool readNumbers(const Points& points, const std::string& name, std::size_t begin, std::size_t end, float* out) {
  for (const auto& [builtIn, reader] : kBuiltIn)
    if (name == builtIn) {
      for (std::size_t i = begin; i < end; ++i) out[i - begin] = reader(points, i);
      return true;
    }
  for (const auto& [attribute, column] : points.attributes) {
    if (const auto* numbers = std::get_if<Column<float>>(&column); numbers && isNamed(attribute, name)) {
      for (std::size_t i = begin; i < end; ++i) out[i - begin] = (*numbers)[i];
      return true;
    }
    const auto* vectors = std::get_if<Column<Vec3>>(&column);
    if (!vectors || name.size() != attribute.size() + 2 || name[attribute.size()] != '_' ||
        !isNamed(attribute, name.substr(0, attribute.size())))
      continue;
    const int axis = name.back() - 'x';
    if (axis < 0 || axis > 2) continue;
    for (std::size_t i = begin; i < end; ++i) out[i - begin] = (*vectors)[i][axis];
    return true;
  }
  std::fill(out, out + (end - begin), 0.0F);
  return false;
}

std::optional<std::string> readText(const Points& points, const std::string& name, std::size_t i) {
  if (name == "prop") {
    if (!points.kit || points.prop[i] == kNoProp) return {};
    return points.kit->entries[static_cast<std::size_t>(points.prop[i])].prop->name;
  }
  if (const auto* text = columnOf<TextColumn>(points.attributes, name)) return text->at(i);
  return {};
}

Extents::Extents(const Points& points) : m_points(points) {
  if (!points.kit) return;
  for (const KitEntry& e : points.kit->entries)
    m_ofProps.push_back(e.prop->surface->positions.empty() ? Vec3(1) : e.prop->surface->bounds().extent());
}

Vec3 Extents::atSizeOne(std::size_t i) const {
  const std::int32_t prop = m_points.prop[i];
  return m_ofProps.empty() || prop == kNoProp ? Vec3(1) : m_ofProps[static_cast<std::size_t>(prop)];
}

std::vector<std::string> numberNames(const Points& points) {
  std::vector<std::string> out;
  for (const auto& [name, reader] : kBuiltIn) out.push_back(name);
  for (const auto& [name, column] : points.attributes) {
    if (std::holds_alternative<Column<float>>(column)) out.push_back(name);
    if (std::holds_alternative<Column<Vec3>>(column))
      for (const char* part : {"_x", "_y", "_z"}) out.push_back(name + part);
  }
  return out;
}

std::vector<std::string> textNames(const Points& points) {
  std::vector<std::string> out;
  if (points.kit) out.push_back("prop");
  for (const auto& [name, column] : points.attributes)
    if (std::holds_alternative<TextColumn>(column)) out.push_back(name);
  return out;
}

std::uint64_t drawId(const Points& points, DrawPer per, std::size_t i) {
  if (per != DrawPer::Point)
    if (const auto* ids = columnOf<Column<std::uint64_t>>(points.attributes,
                                                          per == DrawPer::Parent ? "parent" : "patch"))
      if ((*ids)[i] != 0) return (*ids)[i];  // 0: no patch holds it, so it draws by itself
  return points.id[i];
}

}  // namespace arvesk
