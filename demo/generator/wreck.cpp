#include "demo/generator/wreck.h"

#include "core/formats/exporter.h"
#include "demo/generator/sculpt.h"

#include <cstdio>

namespace arvesk::demo {
namespace {

constexpr float kLength = 6.6F;  // m
constexpr int kStrakes = 7;      // on each side
constexpr float kThick = 0.05F;
constexpr float kSeam = 0.012F;  // between strakes

/// The outer skin: t from stern to bow, u from keel (0) to gunwale (1); x to starboard.
Vec3 skin(float t, float u) {
  const float full = std::pow(std::sin(kPi * std::clamp(0.2F + 0.79F * t, 0.0F, 1.0F)), 0.7F);
  const float rise = 0.42F * std::pow(std::abs(t - 0.4F) / 0.6F, 2.6F);
  const float turn = 0.5F * kPi * std::pow(u, 0.8F);
  return {(0.06F + 1.12F * full) * std::sin(turn), rise + (0.98F + 0.25F * t * t) * (1 - std::cos(turn)),
          (t - 0.45F) * kLength};
}

Vec3 outward(float t, float u) {
  const float h = 0.01F;
  const Vec3 along = skin(std::min(1.0F, t + h), u) - skin(std::max(0.0F, t - h), u);
  const Vec3 across = skin(t, std::min(1.0F, u + h)) - skin(t, std::max(0.0F, u - h));
  return glm::normalize(glm::cross(across, along));
}

/// A closed timber between four rails: sections of four corners, counted against the clock as seen from where it leads,
/// ends included; hard edges.
Surface lofted(const std::vector<std::array<Vec3, 4>>& sections) {
  Surface s;
  const auto quad = [&](const Vec3& a, const Vec3& b, const Vec3& c, const Vec3& d) {
    const auto base = static_cast<std::uint32_t>(s.positions.size());
    const Vec3 normal = directionOr(glm::cross(c - a, d - b), kUp);
    for (const Vec3& p : {a, b, c, d}) {
      s.positions.edit().push_back(p);
      s.normals.edit().push_back(normal);
    }
    s.triangles.edit().push_back({base, base + 1, base + 2});
    s.triangles.edit().push_back({base, base + 2, base + 3});
  };
  for (std::size_t k = 0; k + 1 < sections.size(); ++k)
    for (std::size_t c = 0; c < 4; ++c) {
      const std::size_t next = (c + 1) % 4;
      quad(sections[k][c], sections[k][next], sections[k + 1][next], sections[k + 1][c]);
    }
  const auto& first = sections.front();
  const auto& last = sections.back();
  quad(first[3], first[2], first[1], first[0]);
  quad(last[0], last[1], last[2], last[3]);
  return s;
}

/// Silvered by sun, green low down, with the rest of its paint; the grain runs along z.
void weather(Surface& s, std::uint32_t seed, float painted) {
  const float tone = 0.85F + 0.3F * unitFloat(hashOf(seed, 1));
  paint(s, [&](const Vec3& p, const Vec3&) {
    const Vec3 grain(p.x * 16, p.y * 16, p.z * 1.3F);
    const float g = noise(grain, 1, 3, seed);
    const float patch = noise(p, 0.5F, 3, 77);
    Vec3 color = glm::mix(srgb(176, 166, 150), srgb(122, 108, 90), 0.5F + 0.5F * g) * tone;
    if (painted > 0 && patch + 0.5F * g > 0.55F - painted) color = glm::mix(color, srgb(70, 104, 112), 0.75F);
    return glm::mix(color, srgb(70, 78, 48), 0.55F * std::clamp(0.45F - p.y + 0.25F * patch, 0.0F, 1.0F));
  });
}

/// Strake `k` of a side from t0 to t1.
Surface plank(float side, int k, float t0, float t1, std::uint32_t seed) {
  constexpr int kSteps = 9;
  std::vector<std::array<Vec3, 4>> sections;
  for (int i = 0; i <= kSteps; ++i) {
    const float t = t0 + (t1 - t0) * static_cast<float>(i) / kSteps;
    const float u0 = static_cast<float>(k) / kStrakes;
    const float u1 = static_cast<float>(k + 1) / kStrakes;
    const auto edge = [&](float u, float gap) {
      const Vec3 up = glm::normalize(skin(t, u1) - skin(t, u0));
      return skin(t, u) + gap * up;
    };
    const Vec3 low = edge(u0, 0.5F * kSeam);
    const Vec3 high = edge(u1, -0.5F * kSeam);
    std::array<Vec3, 4> section{low, high, high - kThick * outward(t, u1), low - kThick * outward(t, u0)};
    for (Vec3& p : section) p.x = std::max(p.x, 0.5F * kSeam);  // the other side's begin there
    for (Vec3& p : section) p.x *= side;
    if (side < 0) std::swap(section[0], section[3]), std::swap(section[1], section[2]);
    sections.push_back(section);
  }
  Surface s = lofted(sections);
  weather(s, seed, k >= kStrakes - 3 ? 0.55F : 0.2F);
  return s;
}

/// A frame: from one gunwale down and up to the other, just inside of the planks.
Surface rib(float t, std::uint32_t seed) {
  constexpr int kSteps = 18;
  Chance chance(seed);
  const float top[2] = {1 + chance.between(0, 0.09F), 1 + chance.between(-0.1F, 0.09F)};
  std::vector<std::array<Vec3, 4>> sections;
  for (int i = 0; i <= kSteps; ++i) {
    const float share = 2 * static_cast<float>(i) / kSteps - 1;
    const float side = share < 0 ? -1.0F : 1.0F;
    const float u = std::abs(share) * top[side < 0 ? 0 : 1];
    const auto inside = [&](float depth) {
      const float held = std::clamp(u, 0.04F, 1.0F);
      Vec3 p = skin(t, held) - depth * outward(t, held);
      if (u < 0.04F) p.x *= u / 0.04F;
      if (u > 1) p += (u - 1) * 1.2F * Vec3(0.05F, 1, 0);
      return Vec3(side * p.x, p.y, p.z);
    };
    const Vec3 wide(0, 0, 0.045F);
    const Vec3 outer = inside(kThick + 0.018F);
    const Vec3 inner = inside(kThick + 0.13F);
    sections.push_back({outer + wide, outer - wide, inner - wide, inner + wide});
  }
  Surface s = lofted(sections);
  weather(s, seed, 0);
  return s;
}

Surface keel() {
  std::vector<std::array<Vec3, 4>> sections;
  for (int i = 0; i <= 24; ++i) {
    const float t = static_cast<float>(i) / 24;
    const Vec3 p = skin(t, 0);
    const float y = p.y - 0.014F;
    sections.push_back(
        {Vec3(-0.055F, y - 0.2F, p.z), Vec3(0.055F, y - 0.2F, p.z), Vec3(0.055F, y, p.z), Vec3(-0.055F, y, p.z)});
  }
  Surface s = lofted(sections);
  weather(s, 901, 0);
  return s;
}

/// The post that the strakes end at: at the bow, or at the stern.
Surface post(float t) {
  std::vector<std::array<Vec3, 4>> sections;
  const float way = t > 0.5F ? 1.0F : -1.0F;
  for (int i = 0; i <= 8; ++i) {
    const float u = static_cast<float>(i) / 8;
    const Vec3 p = skin(t, std::min(1.0F, u)) + Vec3(0, i == 8 ? 0.18F : 0, 0);
    // Just off the ends of the strakes, leaning out.
    const float near = p.z + way * (0.004F + 0.05F * u);
    const float z = way > 0 ? near : near - 0.16F;
    sections.push_back(
        {Vec3(-0.06F, p.y, z), Vec3(-0.06F, p.y, z + 0.16F), Vec3(0.06F, p.y, z + 0.16F), Vec3(0.06F, p.y, z)});
  }
  Surface s = lofted(sections);
  weather(s, t > 0.5F ? 907 : 911, 0);
  return s;
}

}  // namespace

void makeWreck(const std::string& folder) {
  std::vector<exporters::SceneItem> items;
  const auto put = [&](const std::string& name, Surface s) {
    const Vec3 middle = s.bounds().center();
    for (Vec3& p : s.positions.edit()) p -= middle;
    items.push_back({name, std::make_shared<const Surface>(std::move(s)), middle});
  };
  put("keel", keel());
  put("stem", post(1));
  put("stern", post(0));
  std::uint32_t seed = 920;
  for (int r = 0; r < 10; ++r) put("rib_" + std::to_string(r + 1), rib(0.08F + 0.08F * static_cast<float>(r), ++seed));
  for (const float side : {-1.0F, 1.0F})
    for (int k = 0; k < kStrakes; ++k) {
      Chance chance(hashOf(40 + k, side > 0 ? 1 : 2));
      // Joints of one strake lie away from those of the next.
      std::vector<float> joints{0};
      for (float t = 0.28F + 0.18F * static_cast<float>(k % 3); t < 0.88F; t += chance.between(0.36F, 0.5F))
        joints.push_back(t);
      joints.push_back(1);
      for (std::size_t j = 0; j + 1 < joints.size(); ++j)
        put("plank_" + std::string(side < 0 ? "port" : "starboard") + "_" + std::to_string(k + 1) + "_" +
                std::to_string(j + 1),
            plank(side, k, joints[j] + 0.0015F, joints[j + 1] - 0.0015F, ++seed));
    }
  const std::string path = folder + "/wreck.glb";
  if (auto ok = exporters::glbOf(items, path); !ok)
    std::fprintf(stderr, "%s\n", toLine(ok.error()).c_str());
  else
    std::printf("wreck.glb          %zu nodes\n", items.size());
}

}  // namespace arvesk::demo
