#include "core/props/coloring.h"

namespace arvesk {
namespace {

struct MeanColor {
  Vec3 color;
};

float lightOf(const Vec3& c) { return glm::dot(c, Vec3(0.2126F, 0.7152F, 0.0722F)); }  // Rec. ITU-R BT.709

}  // namespace

std::optional<Vec3> colorFromHex(std::string_view hex) {
  if (hex.size() != 7 || hex[0] != '#' || hex.find_first_not_of("0123456789abcdefABCDEF", 1) != std::string::npos)
    return {};
  const auto part = [&](std::size_t i) {
    return linearFromSrgb(static_cast<float>(std::stoi(std::string(hex.substr(i, 2)), nullptr, 16)) / 255);
  };
  return Vec3(part(1), part(3), part(5));
}

Vec3 tinted(Vec3 c, const Vec3& tint) {
  if (tint.x != 0) {
    const Vec3 k(0.57735F);
    const float a = tint.x * 2 * kPi;
    c = c * std::cos(a) + glm::cross(k, c) * std::sin(a) + k * glm::dot(k, c) * (1 - std::cos(a));
  }
  c = glm::mix(Vec3(lightOf(c)), c, 1 + tint.y) * (1 + tint.z);
  return glm::max(c, Vec3(0));
}

PointColors::PointColors(const Points& points)
    : m_tint(columnOf<Column<Vec3>>(points.attributes, kTint)),
      m_own(columnOf<Column<Vec3>>(points.attributes, kOwnColor)),
      m_share(columnOf<Column<float>>(points.attributes, kOwnColorShare)) {}

Vec3 PointColors::apply(Vec3 c, std::size_t i, const Vec3& mean) const {
  if (m_own) {
    const float share = m_share ? std::clamp((*m_share)[i], 0.0F, 1.0F) : 1.0F;
    const float shade = lightOf(mean) > 1e-4F ? lightOf(c) / lightOf(mean) : 1.0F;
    c = glm::mix(c, (*m_own)[i] * shade, share);
  }
  return m_tint ? tinted(c, (*m_tint)[i]) : c;
}

Vec3 PointColors::factor(std::size_t i, const Vec3& mean) const {
  const Vec3 base = glm::max(mean, Vec3(1e-3F));
  return apply(base, i, base) / base;
}

Vec3 meanColorOf(const Surface& s) {
  return s.derived
      .get<MeanColor>([&] {
        Vec3 sum(0);
        float area = 0;
        constexpr Vec2 kMiddle(1.0F / 3, 1.0F / 3);
        for (std::size_t f = 0; f < s.faceCount(); ++f) {
          const UVec3 t = s.triangles[f];
          const Material& m = s.materialOf(f);
          Vec3 c(m.baseColor);
          if (!s.colors.empty()) c *= Vec3(s.colors[t.x] + s.colors[t.y] + s.colors[t.z]) / 3.0F;
          if (m.texture && !s.uvs.empty()) c *= Vec3(m.texture->sampledLinear(s.uvAt(f, kMiddle)));
          sum += c * s.faceArea(f);
          area += s.faceArea(f);
        }
        return std::make_shared<const MeanColor>(MeanColor{area > 0 ? sum / area : Vec3(0.6F)});
      })
      ->color;
}

Array<Vec3> materialColors(const Surface& s) {
  Array<Vec3> out;
  out.assign(s.positions.size(), Vec3(-1));
  for (std::size_t f = 0; f < s.faceCount(); ++f)
    for (int k = 0; k < 3; ++k)
      if (Vec3& c = out[s.triangles[f][k]]; c.x < 0) c = Vec3(s.materialOf(f).baseColor);
  for (Vec3& c : out) c = glm::max(c, Vec3(0));
  return out;
}

}  // namespace arvesk
