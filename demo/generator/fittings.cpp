#include "demo/generator/fittings.h"

#include "core/base/hash.h"
#include "core/formats/exporter.h"
#include "core/geometry/shapes.h"
#include "demo/generator/kit.h"
#include "demo/generator/sculpt.h"

#include <cstdio>

namespace arvesk::demo {
namespace {

Surface turnedWood(float radius, float height, const Vec3& color, std::uint32_t seed, float swell = 0.03F) {
  Surface s;
  addTube(
      s,
      {Vec3(0), Vec3(0, 0.25F * height, 0), Vec3(0, 0.5F * height, 0), Vec3(0, 0.75F * height, 0),
       Vec3(0, 0.94F * height, 0), Vec3(0, height, 0)},
      10,
      [&](float share, float turn) {
        return radius * (share > 0.97F ? 0.72F : 1.0F) *
               (1 + swell * noise(Vec3(share * 3, turn * 4, 1), 0.5F, 2, seed));
      },
      [&](float share, float turn) {
        return turn < 0 ? color * 1.25F
                        : color * (1 + 0.35F * noise(Vec3(share * 1.5F, turn * 11, 2), 0.4F, 2, seed + 1)) *
                              (share < 0.35F ? 0.55F : 1.0F);
      });
  return s;
}

Surface ring(const Vec3& middle, float radius, float thickness, const Vec3& color, int sides = 18,
             float heightWobble = 0) {
  std::vector<Vec3> spine;
  for (int i = 0; i <= sides; ++i) {
    const float a = 2 * kPi * static_cast<float>(i) / static_cast<float>(sides);
    spine.push_back(middle + Vec3(radius * std::sin(a), heightWobble * std::sin(3 * a), radius * std::cos(a)));
  }
  Surface s;
  addTube(
      s, spine, 6, [&](float, float) { return thickness; },
      [&](float share, float turn) { return color * (1 + 0.25F * std::sin(share * 90 + turn * 6)); });
  return s;
}

/// Pivot in the middle on purpose: real kits have such posts.
Surface mooringPost() {
  Surface s = turnedWood(0.16F, 4, srgb(96, 80, 64), 201);
  add(s, ring({0, 3.55F, 0}, 0.165F, 0.03F, srgb(164, 148, 116)));
  add(s, ring({0, 3.49F, 0}, 0.167F, 0.03F, srgb(150, 134, 104)));
  return at(s, {0, -2, 0});
}

Surface lamp() {
  Surface s = turnedWood(0.045F, 2.3F, srgb(52, 58, 58), 211, 0);
  add(s, at(timber({0.3F, 0.035F, 0.3F}, srgb(46, 52, 52), 5), {0, 2.27F, 0}));
  add(s, at(timber({0.2F, 0.26F, 0.2F}, srgb(236, 214, 160), 6), {0, 2.3F, 0}));
  add(s, at(timber({0.3F, 0.03F, 0.3F}, srgb(46, 52, 52), 7), {0, 2.56F, 0}));
  add(s, at(timber({0.14F, 0.06F, 0.14F}, srgb(46, 52, 52), 8), {0, 2.59F, 0}));
  add(s, at(timber({0.24F, 0.03F, 0.24F}, srgb(46, 52, 52), 9), {0, 0, 0}));
  return s;
}

Surface winch() {
  Surface s = timber({0.9F, 0.1F, 0.5F}, srgb(92, 80, 64), 221);
  for (const float x : {-0.36F, 0.36F}) add(s, at(timber({0.08F, 0.62F, 0.34F}, srgb(104, 62, 44), 222), {x, 0.1F, 0}));
  Surface drum;
  addTube(
      drum, {Vec3(-0.33F, 0.5F, 0), Vec3(-0.11F, 0.5F, 0), Vec3(0.11F, 0.5F, 0), Vec3(0.33F, 0.5F, 0)}, 14,
      [](float, float) { return 0.15F; },
      [](float share, float) { return srgb(176, 156, 116) * (0.85F + 0.3F * std::abs(std::sin(share * 44))); });
  add(s, drum);
  Surface axle;
  addTube(
      axle, {Vec3(-0.5F, 0.5F, 0), Vec3(0, 0.5F, 0), Vec3(0.56F, 0.5F, 0)}, 8, [](float, float) { return 0.035F; },
      [](float, float) { return srgb(66, 68, 68); });
  add(s, axle);
  add(s, at(timber({0.04F, 0.34F, 0.05F}, srgb(66, 68, 68), 223), {0.54F, 0.46F, 0}));
  add(s, at(timber({0.2F, 0.045F, 0.045F}, srgb(128, 94, 62), 224), {0.62F, 0.76F, 0}));
  return s;
}

/// Slats over hoops, with a net of cord.
Surface lobsterPot() {
  Surface s = timber({0.72F, 0.035F, 0.46F}, srgb(124, 108, 84), 231);
  for (const float x : {-0.33F, 0.0F, 0.33F}) {
    std::vector<Vec3> hoop;
    for (int i = 0; i <= 10; ++i) {
      const float a = kPi * static_cast<float>(i) / 10;
      hoop.push_back({x, 0.03F + 0.34F * std::sin(a), 0.22F * std::cos(a)});
    }
    addTube(
        s, hoop, 5, [](float, float) { return 0.016F; }, [](float, float) { return srgb(112, 92, 66); });
  }
  for (int k = 0; k <= 8; ++k) {
    const float a = kPi * (0.06F + 0.88F * static_cast<float>(k) / 8);
    add(s, at(timber({0.72F, 0.012F, 0.035F}, k % 2 ? srgb(146, 128, 98) : srgb(126, 110, 86),
                     232 + static_cast<std::uint32_t>(k)),
              {0, 0.03F + 0.35F * std::sin(a), 0.23F * std::cos(a)}, {degrees(kPi / 2 - a), 0, 0}));
  }
  for (const float x : {-0.34F, 0.34F})
    for (int k = 0; k < 3; ++k)
      add(s, ring({x, 0.16F, 0}, 0.05F + 0.06F * static_cast<float>(k), 0.006F, srgb(72, 112, 116), 12));
  return s;
}

Surface ropeCoil() {
  Surface s;
  for (int k = 0; k < 4; ++k)
    add(s, ring({0, 0.022F + 0.036F * static_cast<float>(k), 0}, 0.2F - 0.012F * static_cast<float>(k % 2), 0.024F,
                k % 2 ? srgb(190, 170, 126) : srgb(172, 152, 110), 20, 0.006F));
  add(s, ring({0, 0.03F, 0}, 0.14F, 0.024F, srgb(166, 146, 104), 18, 0.005F));
  return s;
}

Surface buoy() {
  Surface s = displacedBall(
      2, [](const Vec3& d) { return d * Vec3(0.17F, 0.2F, 0.17F) * (d.y < 0 ? 1 - 0.18F * d.y * d.y : 1.0F); });
  paint(s, [](const Vec3& p, const Vec3&) {
    return p.y > 0.06F ? srgb(226, 222, 210) : p.y > -0.04F ? srgb(178, 74, 48) : srgb(206, 202, 190) * 0.9F;
  });
  s = at(s, {0, 0.19F, 0});
  add(s, ring({0, 0.41F, 0}, 0.035F, 0.012F, srgb(88, 92, 90), 10));
  return s;
}

Surface board(std::uint32_t seed, float length, float width, const Vec3& color) {
  Surface s = timber({width, 0.045F, length}, color, seed);
  for (const float z : {-0.42F, 0.42F})
    add(s, at(timber({0.02F, 0.006F, 0.02F}, srgb(70, 62, 54), seed + 1), {0.25F * width, 0.045F, z * length}));
  return s;
}

/// Clinker hull with thwarts; empty nodes name where things are set.
Surface dinghy() {
  constexpr int kRibs = 12;
  constexpr int kStrakes = 7;
  Surface s;
  const auto section = [](float t, float u, float inset) {
    // t from stern to bow, u from keel (0) to gunwale (1).
    const float beam = (0.62F - inset) * std::pow(std::sin(kPi * std::clamp(0.24F + 0.74F * t, 0.0F, 1.0F)), 0.62F) *
                       (t > 0.97F ? 0.1F : 1.0F);
    const float rise = 0.03F + 0.16F * std::pow(std::abs(t - 0.35F) / 0.65F, 3.0F);
    const float out = beam * std::sin(0.5F * kPi * std::pow(u, 0.72F));
    return Vec3(out, rise + inset + (0.46F + 0.12F * t * t) * (1 - std::cos(0.5F * kPi * std::pow(u, 0.85F))),
                (t - 0.45F) * 3.0F);
  };
  for (const float inset : {0.0F, 0.025F})
    for (const float side : {-1.0F, 1.0F}) {
      Surface half;
      for (int r = 0; r <= kRibs; ++r)
        for (int k = 0; k <= kStrakes; ++k) {
          Vec3 p = section(static_cast<float>(r) / kRibs, static_cast<float>(k) / kStrakes, inset);
          p.x *= side;
          half.positions.edit().push_back(p);
        }
      const auto id = [](int r, int k) { return static_cast<std::uint32_t>(r * (kStrakes + 1) + k); };
      const bool flips = (side > 0) == (inset > 0);  // the outer skin looks out, the inner one in
      for (int r = 0; r < kRibs; ++r)
        for (int k = 0; k < kStrakes; ++k) {
          UVec3 a(id(r, k), id(r, k + 1), id(r + 1, k));
          UVec3 b(id(r, k + 1), id(r + 1, k + 1), id(r + 1, k));
          if (flips) std::swap(a.y, a.z), std::swap(b.y, b.z);
          half.triangles.edit().push_back(a);
          half.triangles.edit().push_back(b);
        }
      computeSmoothNormals(half);
      paint(half, [&](const Vec3& p, const Vec3&) {
        const float lap = 0.9F + 0.2F * std::abs(std::sin(p.y * 38));
        return inset > 0     ? srgb(168, 142, 104) * lap
               : p.y > 0.36F ? srgb(228, 222, 206) * lap
                             : srgb(54, 92, 104) * lap;
      });
      add(s, half);
    }
  // Transom, gunwale, thwarts.
  add(s, at(timber({0.84F, 0.36F, 0.04F}, srgb(178, 152, 112), 251), {0, 0.16F, -1.33F}));
  for (const float side : {-1.0F, 1.0F}) {
    std::vector<Vec3> rail;
    for (int r = 0; r <= kRibs; ++r) {
      Vec3 p = section(static_cast<float>(r) / kRibs, 1, 0);
      p.x *= side;
      rail.push_back(p);
    }
    addTube(
        s, rail, 5, [](float, float) { return 0.026F; }, [](float, float) { return srgb(140, 108, 70); });
  }
  for (const float z : {-0.75F, 0.1F, 0.85F})
    add(s, at(timber({z > 0.5F ? 0.86F : 1.1F, 0.03F, 0.22F}, srgb(184, 158, 118), 252), {0, 0.37F, z}));
  const auto mount = [&](const char* name, const Vec3& place) {
    s.nodes.push_back({name, -1, place, Quat(1, 0, 0, 0), Vec3(1)});
  };
  mount("mount_thwart_1", {0.2F, 0.4F, -0.75F});
  mount("mount_thwart_2", {-0.15F, 0.4F, 0.1F});
  mount("mount_floor", {0.05F, 0.12F, -0.33F});
  mount("mount_bow", {0, 0.4F, 0.85F});
  return s;
}

/// Ribbed cones of several sizes, grown together on a flat base.
Surface barnacles(std::uint32_t seed) {
  Surface s;
  for (int i = 0; i < 11; ++i) {
    const std::uint64_t h = hashOf(seed, static_cast<std::uint64_t>(i));
    const float r = 0.1F * std::sqrt((static_cast<float>(i) + 0.3F) / 11);
    const float a = static_cast<float>(i) * 2.399963F;
    const float size = 0.018F + 0.02F * unitFloat(mix64(h));
    Surface cone;
    constexpr int kSides = 9;
    for (int ringIndex = 0; ringIndex < 3; ++ringIndex)
      for (int k = 0; k < kSides; ++k) {
        const float b = 2 * kPi * static_cast<float>(k) / kSides;
        const std::array<float, 3> radius{1.0F, 0.52F, 0.3F};
        const std::array<float, 3> height{-0.15F, 1.15F, 0.75F};
        const auto n = static_cast<std::size_t>(ringIndex);
        const float rib = n == 0 && k % 2 ? 1.12F : 1.0F;
        cone.positions.edit().push_back(Vec3(std::cos(b) * radius[n] * rib, height[n], std::sin(b) * radius[n] * rib) *
                                        size);
      }
    cone.positions.edit().push_back(Vec3(0, 0.7F, 0) * size);
    const auto id = [](int n, int k) { return static_cast<std::uint32_t>(n * kSides + k % kSides); };
    for (int n = 0; n < 2; ++n)
      for (int k = 0; k < kSides; ++k) {
        cone.triangles.edit().push_back({id(n, k), id(n + 1, k), id(n, k + 1)});
        cone.triangles.edit().push_back({id(n, k + 1), id(n + 1, k), id(n + 1, k + 1)});
      }
    for (int k = 0; k < kSides; ++k) cone.triangles.edit().push_back({id(2, k), 3 * kSides, id(2, k + 1)});
    computeSmoothNormals(cone);
    paint(cone, [&](const Vec3& p, const Vec3&) {
      return p.y > 0.7F * size && glm::length(Vec2(p.x, p.z)) < 0.36F * size
                 ? srgb(62, 56, 50)
                 : glm::mix(srgb(118, 112, 98), srgb(188, 181, 164), std::clamp(p.y / size, 0.0F, 1.0F));
    });
    add(s, at(cone, {r * std::cos(a), 0, r * std::sin(a)}, {8 * std::sin(a), 0, -8 * std::cos(a)}));
  }
  return s;
}

/// Long belts that hang or lie from one hold.
Surface kelp(std::uint32_t seed, float length) {
  Surface s;
  for (int b = 0; b < 6; ++b) {
    const std::uint64_t h = hashOf(seed, static_cast<std::uint64_t>(b));
    const float heading = static_cast<float>(b) * 2.399963F;
    std::vector<Vec3> spine;
    for (int i = 0; i <= 8; ++i) {
      const float t = static_cast<float>(i) / 8;
      const float bend = heading + 1.1F * (unitFloat(h) - 0.5F) * t;
      const float own = length * (0.7F + 0.4F * unitFloat(mix64(h)));
      spine.push_back(Vec3(std::cos(bend) * own * t,
                           0.02F + 0.12F * std::sin(t * 2.4F) * own * 0.3F + 0.012F * std::sin(t * 16),
                           std::sin(bend) * own * t));
    }
    addBlade(
        s, spine, {-std::sin(heading), 0, std::cos(heading)},
        [](float t) {
          return 0.075F * std::sin(std::min(1.0F, 0.16F + t) * kPi * 0.9F) * (1 + 0.16F * std::sin(t * 34));
        },
        srgb(70, 56, 26), srgb(132, 110, 48));
  }
  return s;
}

Surface starfish(std::uint32_t seed) {
  Surface s = displacedBall(3, [&](const Vec3& d) {
    const float a = std::atan2(d.z, d.x);
    const float arm = 0.42F + 0.58F * std::pow(std::abs(std::cos(2.5F * a)), 1.6F);
    const float flat = std::sqrt(std::max(0.0F, 1 - d.y * d.y));
    return Vec3(d.x * arm * 0.12F, std::max(d.y, -0.2F) * 0.028F * (1 - 0.5F * flat * arm), d.z * arm * 0.12F) +
           Vec3(0, 0.004F, 0);
  });
  paint(s, [&](const Vec3& p, const Vec3&) {
    return glm::mix(srgb(176, 92, 52), srgb(216, 150, 92), std::clamp(0.5F + noise(p, 0.01F, 2, seed), 0.0F, 1.0F));
  });
  return s;
}

}  // namespace

void makeFittings(const std::string& folder) {
  const auto emit = [&](Surface s, const char* name, bool isTwoSided = false) {
    writeProp(s, name, folder, isTwoSided);
  };
  emit(mooringPost(), "mooring-post");
  emit(lamp(), "lamp");
  emit(winch(), "winch");
  emit(lobsterPot(), "lobster-pot");
  emit(ropeCoil(), "rope-coil");
  emit(buoy(), "buoy");
  emit(board(241, 1.46F, 0.188F, srgb(150, 138, 120)), "deck-board-a");
  emit(board(243, 1.49F, 0.182F, srgb(132, 120, 104)), "deck-board-b");
  emit(board(247, 1.42F, 0.192F, srgb(166, 152, 130)), "deck-board-c");
  emit(dinghy(), "dinghy", true);
  emit(barnacles(261), "barnacles");
  emit(kelp(271, 0.7F), "kelp-a", true);
  emit(kelp(277, 0.5F), "kelp-b", true);
  emit(starfish(281), "starfish");
}

void makeJetty(const std::string& folder) {
  constexpr float kDeck = 2.2F;  // m above the sea
  constexpr float kLeft = 36;    // east side of the beach
  constexpr float kStart = -7;
  constexpr float kEnd = 24.4F;
  // A deck of quads of uneven length, two side by side, their long edge across.
  Surface deck;
  int panel = 0;
  for (float z = kStart; z < kEnd - 0.3F; ++panel) {
    const float length = std::min(0.7F + 0.7F * unitFloat(hashOf(91ULL, static_cast<std::uint64_t>(panel))), kEnd - z);
    for (const float x : {kLeft, kLeft + 1.5F}) {
      const auto base = static_cast<std::uint32_t>(deck.positions.size());
      for (const Vec3& p :
           {Vec3(x, kDeck, z), Vec3(x, kDeck, z + length), Vec3(x + 1.5F, kDeck, z + length), Vec3(x + 1.5F, kDeck, z)})
        deck.positions.edit().push_back(p);
      deck.triangles.edit().push_back({base, base + 1, base + 2});
      deck.triangles.edit().push_back({base, base + 2, base + 3});
    }
    z += length;
  }
  computeSmoothNormals(deck);
  Material wood;
  wood.name = "deck";
  wood.baseColor = Vec4(srgb(120, 108, 90), 1);
  deck.materials = {wood};
  const auto shared = [](Surface s) { return std::make_shared<const Surface>(std::move(s)); };
  Surface stringers;
  for (const float x : {kLeft + 0.15F, kLeft + 1.5F, kLeft + 2.85F})
    add(stringers,
        at(timber({0.14F, 0.2F, kEnd - kStart}, srgb(96, 82, 66), 301), {x, kDeck - 0.215F, 0.5F * (kStart + kEnd)}));
  std::vector<exporters::SceneItem> items{{"deck", shared(deck)}, {"stringers", shared(stringers)}};
  const auto box = [&](const std::string& name, const Vec3& size, const Vec3& place, float headingDeg) {
    Surface s = makeBox(size);
    items.push_back({name, shared(s), place, glm::angleAxis(radians(headingDeg), kUp), Vec3(1), "layout"});
  };
  int number = 0;
  for (float z = kStart + 1; z <= kEnd; z += 3.75F)
    for (const float x : {kLeft - 0.1F, kLeft + 3.1F}) {
      ++number;
      box("post_" + std::to_string(number), {0.3F, 4, 0.3F}, {x, kDeck + 0.85F - 4, z},
          40.0F * static_cast<float>(number));
    }
  number = 0;
  for (const float z : {kStart + 4.5F, 9.0F, kEnd - 0.6F}) {
    ++number;
    box("lamp_" + std::to_string(number), {0.2F, 2.4F, 0.2F},
        {number % 2 ? kLeft + 0.25F : kLeft + 2.75F, kDeck + 0.045F, z}, 0);
  }
  box("winch_1", {0.9F, 0.8F, 0.5F}, {kLeft + 2.3F, kDeck + 0.045F, 15.5F}, 90);
  box("dinghy_1", {1.2F, 0.6F, 3}, {31.2F, 0.97F, 3.2F}, 24);
  box("dinghy_2", {1.2F, 0.6F, 3}, {28.6F, 1.24F, -1.2F}, -38);
  const std::string path = folder + "/jetty.glb";
  if (auto ok = exporters::glbOf(items, path); !ok)
    std::fprintf(stderr, "%s\n", toLine(ok.error()).c_str());
  else
    std::printf("jetty.glb          %zu nodes\n", items.size());
}

}  // namespace arvesk::demo
