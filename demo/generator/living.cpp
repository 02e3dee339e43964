#include "demo/generator/living.h"

#include "core/base/hash.h"
#include "demo/generator/kit.h"
#include "demo/generator/sculpt.h"

namespace arvesk::demo {
namespace {

void addPart(Surface& whole, const Surface& part) {
  const auto base = static_cast<std::uint32_t>(whole.positions.size());
  append(whole.positions, part.positions);
  append(whole.normals, part.normals);
  append(whole.colors, part.colors);
  for (const UVec3& t : part.triangles) whole.triangles.edit().push_back(t + base);
}

/// A bell with a scalloped rim, hollow below, four rings in it, frilled arms and fine threads. Its middle is the pivot.
Surface moonJelly() {
  constexpr float kRadius = 0.15F;
  Surface s = displacedBall(3, [&](const Vec3& d) {
    const float around = std::atan2(d.z, d.x);
    const float rim = std::clamp(1 - std::abs(d.y + 0.1F) * 3.0F, 0.0F, 1.0F);
    const float wide = kRadius * (1 + 0.035F * rim * std::cos(16 * around));
    const float dome = d.y > -0.1F ? 0.62F * d.y : 0.62F * -0.1F + 0.35F * (-(d.y + 0.1F));  // pushed in from below
    return Vec3(d.x * wide, dome * kRadius, d.z * wide);
  });
  paint(s, [&](const Vec3& p, const Vec3& n) {
    const float out = glm::length(Vec2(p.x, p.z)) / kRadius;
    Vec3 c = glm::mix(srgb(196, 214, 228), srgb(232, 240, 244), std::clamp(out, 0.0F, 1.0F));
    for (int i = 0; i < 4; ++i) {  // the rings, open outward
      const float a = kPi / 4 + static_cast<float>(i) * kPi / 2;
      const Vec2 from = Vec2(p.x, p.z) / kRadius - 0.34F * Vec2(std::cos(a), std::sin(a));
      const float ring = std::abs(glm::length(from) - 0.19F);
      if (ring < 0.07F) c = glm::mix(srgb(190, 122, 168), c, ring / 0.07F * 0.6F);
    }
    return n.y < 0 ? c * 0.8F : c;
  });
  Chance chance(7);
  for (int i = 0; i < 4; ++i) {
    const float a = static_cast<float>(i) * kPi / 2;
    const Vec3 out(std::cos(a), 0, std::sin(a));
    std::vector<Vec3> spine;
    for (int k = 0; k <= 6; ++k) {
      const float t = static_cast<float>(k) / 6;
      spine.push_back(out * (0.02F + 0.05F * t) +
                      Vec3(0.012F * std::sin(5 * t + a), -0.2F * t, 0.012F * std::cos(6 * t)));
    }
    addBlade(
        s, spine, Vec3(-out.z, 0, out.x),
        [](float t) { return 0.035F * (1 - 0.7F * t) * (1 + 0.35F * std::sin(t * 26)); }, srgb(214, 200, 214),
        srgb(236, 232, 238));
  }
  for (int i = 0; i < 24; ++i) {
    const float a = (static_cast<float>(i) + 0.5F) * 2 * kPi / 24;
    const Vec3 rim(std::cos(a) * kRadius, -0.012F, std::sin(a) * kRadius);
    const float length = chance.between(0.05F, 0.1F);
    addBlade(
        s, {rim, rim + Vec3(0, -0.5F * length, 0), rim * 0.97F + Vec3(0, -length, 0)},
        Vec3(-std::sin(a), 0, std::cos(a)), [](float t) { return 0.004F * (1 - 0.6F * t); }, srgb(206, 216, 226),
        srgb(236, 240, 244));
  }
  return s;
}

/// A shoot with spines all around, pointing up.
Surface gorseSprig(std::uint32_t seed, float length, int spines) {
  Chance chance(seed);
  Surface s;
  std::vector<Vec3> stem;
  for (int i = 0; i <= 4; ++i) {
    const float t = static_cast<float>(i) / 4;
    stem.push_back({0.03F * std::sin(2.2F * t + static_cast<float>(seed)), t * length,
                    0.03F * std::cos(1.7F * t + static_cast<float>(seed))});
  }
  addTube(
      s, stem, 5, [](float share, float) { return 0.009F * (1 - 0.75F * share); },
      [](float share, float) { return glm::mix(srgb(84, 70, 44), srgb(70, 92, 40), share); });
  for (int i = 0; i < spines; ++i) {
    const float t = 0.08F + 0.92F * (static_cast<float>(i) + chance.between(0, 1)) / static_cast<float>(spines);
    const float heading = static_cast<float>(i) * 2.399963F + chance.between(-0.3F, 0.3F);
    const Vec3 out(std::cos(heading), 0, std::sin(heading));
    const Vec3 root(0.03F * std::sin(2.2F * t + static_cast<float>(seed)), t * length,
                    0.03F * std::cos(1.7F * t + static_cast<float>(seed)));
    const float reach = chance.between(0.05F, 0.085F) * (1.15F - 0.5F * t);
    const Vec3 way = glm::normalize(out + Vec3(0, chance.between(0.35F, 0.9F), 0)) * reach;
    const float young = std::clamp(1.4F * t - 0.35F + chance.between(-0.2F, 0.2F), 0.0F, 1.0F);
    addBlade(
        s, {root, root + 0.55F * way + Vec3(0, 0.004F, 0), root + way}, Vec3(-out.z, 0, out.x),
        [](float u) { return 0.011F * (1 - 0.95F * u); }, glm::mix(srgb(46, 62, 32), srgb(70, 96, 42), young),
        glm::mix(srgb(82, 104, 56), srgb(136, 152, 76), young));
  }
  return s;
}

/// Flowers around the end of a shoot: a banner and two wings each.
Surface gorseFlower(std::uint32_t seed) {
  Chance chance(seed);
  Surface s = gorseSprig(seed + 1, 0.2F, 26);
  for (int i = 0; i < 11; ++i) {
    const float heading = static_cast<float>(i) * 2.399963F;
    const float high = 0.07F + 0.14F * static_cast<float>(i) / 11;
    const Vec3 out(std::cos(heading), 0, std::sin(heading));
    const Vec3 side(-out.z, 0, out.x);
    const Vec3 root = out * 0.015F + Vec3(0.03F * std::sin(static_cast<float>(seed + 1)), high, 0);
    const float size = chance.between(0.026F, 0.036F);
    const Vec3 deep = srgb(226, 160, 20);
    const Vec3 bright = glm::mix(srgb(246, 200, 40), srgb(255, 222, 84), chance.between(0, 1));
    addBlade(
        s, {root, root + size * (out + Vec3(0, 0.5F, 0)), root + size * (1.1F * out + Vec3(0, 1.4F, 0))}, side,
        [size](float t) { return size * std::sin(0.25F + t * 2.6F); }, deep, bright);
    for (const float turn : {-0.7F, 0.7F})
      addBlade(
          s, {root, root + size * (out + turn * side), root + size * (1.7F * out + 0.5F * turn * side)}, kUp,
          [size](float t) { return 0.8F * size * std::sin(0.2F + t * 2.7F); }, deep, bright);
  }
  return s;
}

/// Lumps that overlap, as an artist blocks out bushes: closed, rough, standing in the ground.
Surface gorseBodies() {
  struct Lump {
    Vec3 at;
    Vec3 size;
  };
  const Lump lumps[]{{{0, 0.5F, 0}, {2.3F, 1.9F, 2.0F}},         {{1.5F, 0.4F, 0.5F}, {1.7F, 1.3F, 1.6F}},
                     {{-1.5F, 0.35F, 0.4F}, {1.8F, 1.2F, 1.5F}}, {{0.4F, 0.3F, 1.3F}, {1.6F, 1.0F, 1.3F}},
                     {{-0.6F, 0.4F, -1.2F}, {1.7F, 1.4F, 1.5F}}, {{2.9F, 0.2F, -0.5F}, {1.2F, 0.9F, 1.1F}},
                     {{-3.0F, 0.25F, 1.1F}, {1.3F, 0.95F, 1.3F}}};
  Surface s;
  std::uint32_t seed = 300;
  for (const Lump& lump : lumps) {
    seed += 7;
    Surface part = displacedBall(3, [&](const Vec3& d) {
      return lump.at +
             0.5F * lump.size * d * (1 + 0.16F * noise(d, 0.9F, 3, seed) + 0.05F * noise(d, 0.3F, 2, seed + 1));
    });
    paint(part, [](const Vec3&, const Vec3&) { return srgb(96, 110, 70); });
    addPart(s, part);
  }
  return s;
}

void addBox(Surface& s, const Vec3& from, const Vec3& to, const Vec3& color) {
  const auto base = static_cast<std::uint32_t>(s.positions.size());
  for (int axis = 0; axis < 3; ++axis)
    for (const int side : {0, 1}) {
      const auto first = static_cast<std::uint32_t>(s.positions.size());
      const int u = (axis + 1) % 3;
      const int v = (axis + 2) % 3;
      for (const auto& [a, b] : {std::pair(0, 0), std::pair(1, 0), std::pair(1, 1), std::pair(0, 1)}) {
        Vec3 p;
        p[axis] = side ? to[axis] : from[axis];
        p[u] = a ? to[u] : from[u];
        p[v] = b ? to[v] : from[v];
        Vec3 n(0);
        n[axis] = side ? 1.0F : -1.0F;
        s.positions.edit().push_back(p);
        s.normals.edit().push_back(n);
        const float worn = 0.85F + 0.25F * noise(p, 0.12F, 3, 5 + base % 7);
        s.colors.edit().push_back(Vec4(color * worn, 1));
      }
      const std::uint32_t k = side ? 1 : 2;
      s.triangles.edit().push_back({first, first + k, first + 3 - k});
      s.triangles.edit().push_back(side ? UVec3(first, first + 2, first + 3) : UVec3(first, first + 3, first + 2));
    }
}

/// An open box of slats, its middle at the pivot, a little smaller than a cell of 0.7 × 0.35 × 0.7 m.
Surface fishBox(const Vec3& paintColor) {
  Surface s;
  const Vec3 half = 0.49F * Vec3(0.7F, 0.35F, 0.7F);
  const float t = 0.022F;
  const Vec3 wood = srgb(178, 152, 112);
  addBox(s, {-half.x + t, -half.y, -half.z + t}, {half.x - t, -half.y + t, half.z - t}, wood * 0.8F);
  for (const float side : {-1.0F, 1.0F}) {
    for (int slat = 0; slat < 3; ++slat) {
      const float low = -half.y + 0.012F + static_cast<float>(slat) * (2 * half.y - 0.012F) / 3;
      const float high = low + (2 * half.y - 0.012F) / 3 - 0.014F;
      const Vec3 c = slat == 2 ? paintColor : wood;
      const float x = side * (half.x - 0.5F * t);
      addBox(s, {x - 0.5F * t, low, -half.z}, {x + 0.5F * t, high, half.z}, c);
      const float z = side * (half.z - 0.5F * t);
      addBox(s, {-half.x + t, low, z - 0.5F * t}, {half.x - t, high, z + 0.5F * t}, c);
    }
    for (const float other : {-1.0F, 1.0F}) {
      const Vec3 corner(side * (half.x - 2 * t), 0, other * (half.z - 2 * t));
      addBox(s, corner - Vec3(0.8F * t, half.y, 0.8F * t), corner + Vec3(0.8F * t, half.y, 0.8F * t), wood * 0.9F);
    }
  }
  return s;
}

/// A gull that stands, or rests on its belly; it looks along +Z. Its feet, or its belly, are at the pivot.
Surface gull(bool isResting, float headTurnDeg) {
  const float hip = isResting ? 0.062F : 0.17F;
  const Vec3 white = srgb(238, 238, 234);
  const Vec3 gray = srgb(150, 160, 170);
  const Vec3 black = srgb(28, 28, 32);
  Surface s = displacedBall(3, [&](const Vec3& d) {
    const float back = std::max(0.0F, -d.z);  // toward the tail it is narrow and flat
    const float wide = 0.068F * (1 - 0.55F * back * back);
    const float high = 0.07F * (1 - 0.6F * back * back);
    return Vec3(d.x * wide, hip + d.y * high + 0.02F * d.z + 0.015F * back, d.z * 0.175F - 0.02F);
  });
  paint(s, [&](const Vec3& p, const Vec3& n) {
    // Folded wings: gray over the back and the sides, white below and in front.
    const float edge = 0.35F - 1.2F * std::max(0.0F, p.z - 0.06F) / 0.06F;
    const float over = std::clamp((n.y + edge) * 6.0F, 0.0F, 1.0F);
    return glm::mix(white, gray * (0.92F + 0.1F * noise(p, 0.03F, 2, 4)), p.z > 0.1F ? 0.0F : over);
  });
  // Wing tips cross over the tail, black with a light edge.
  for (const float side : {-1.0F, 1.0F})
    for (int feather = 0; feather < 4; ++feather) {
      const float f = static_cast<float>(feather);
      const Vec3 root(side * (0.05F - 0.008F * f), hip + 0.03F + 0.004F * f, -0.07F - 0.01F * f);
      const Vec3 tip(-side * (0.012F + 0.004F * f), hip + 0.045F + 0.004F * f, -0.235F - 0.016F * f);
      addBlade(
          s, {root, glm::mix(root, tip, 0.5F) + Vec3(side * 0.006F, 0.006F, 0), tip}, Vec3(0.94F, side * 0.34F, 0),
          [](float t) { return 0.03F * (1 - 0.75F * t * t); }, gray * 0.9F, black);
    }
  for (int feather = -2; feather <= 2; ++feather) {  // the tail
    const float f = static_cast<float>(feather);
    addBlade(
        s, {Vec3(0.008F * f, hip + 0.006F, -0.14F), Vec3(0.016F * f, hip + 0.014F, -0.235F)}, Vec3(1, 0, 0),
        [](float t) { return 0.024F * (1 - 0.3F * t); }, white, white);
  }
  // Neck and head; a resting one draws it in.
  const Vec3 nape(0, hip + 0.025F, 0.105F);
  const Vec3 crown(0, hip + (isResting ? 0.085F : 0.125F), isResting ? 0.115F : 0.145F);
  addTube(
      s, {nape - Vec3(0, 0.02F, 0.03F), nape, glm::mix(nape, crown, 0.5F), crown}, 10,
      [](float share, float) { return 0.052F - 0.02F * share; }, [&](float, float) { return white; });
  const Quat look = glm::angleAxis(radians(headTurnDeg), kUp);
  Surface head = displacedBall(
      2, [&](const Vec3& d) { return crown + look * (Vec3(d.x * 0.031F, d.y * 0.032F, d.z * 0.04F)); });
  paint(head, [&](const Vec3& p, const Vec3&) {
    const Vec3 own = glm::conjugate(look) * (p - crown);
    const bool isEye = std::abs(own.z - 0.017F) < 0.008F && std::abs(own.y - 0.008F) < 0.007F &&
                       std::abs(own.x) > 0.02F;
    return isEye ? black : white;
  });
  addPart(s, head);
  const auto onHead = [&](const Vec3& own) { return crown + look * own; };
  addTube(
      s, {onHead({0, -0.004F, 0.034F}), onHead({0, -0.006F, 0.062F}), onHead({0, -0.014F, 0.082F})}, 8,
      [](float share, float) { return 0.0095F * (1 - 0.72F * share * share); },
      [](float share, float) { return share > 0.6F ? srgb(206, 92, 44) : srgb(228, 178, 60); });
  if (isResting) return s;
  const Vec3 pink = srgb(206, 150, 140);
  for (const float side : {-1.0F, 1.0F}) {
    const Vec3 foot(side * 0.028F, 0.004F, 0.0F);
    addTube(
        s, {Vec3(side * 0.024F, hip - 0.05F, -0.02F), Vec3(side * 0.027F, 0.075F, -0.008F), foot}, 6,
        [](float, float) { return 0.0055F; }, [&](float, float) { return pink; });
    for (const float toe : {-1.0F, 0.0F, 1.0F})
      addBlade(
          s, {foot, foot + Vec3(0.018F * toe, 0, 0.036F)}, Vec3(1, 0, 0), [](float t) { return 0.01F + 0.012F * t; },
          pink, pink * 0.9F);
  }
  return s;
}

}  // namespace

void makeLiving(const std::string& kitFolder, const std::string& examplesFolder) {
  const auto emit = [&](Surface s, const char* name, bool isTwoSided) { writeProp(s, name, kitFolder, isTwoSided); };
  emit(moonJelly(), "moon-jelly", true);
  emit(gorseSprig(3, 0.32F, 70), "gorse-sprig-a", true);
  emit(gorseSprig(8, 0.24F, 54), "gorse-sprig-b", true);
  emit(gorseFlower(21), "gorse-flower", true);
  emit(fishBox(srgb(46, 98, 128)), "fish-box-a", false);
  emit(fishBox(srgb(150, 62, 48)), "fish-box-b", false);
  emit(gull(false, 0), "gull-a", true);
  emit(gull(false, 55), "gull-b", true);
  emit(gull(true, -30), "gull-c", true);
  Surface bodies = gorseBodies();
  writeProp(bodies, "gorse-bodies", examplesFolder, false);
}

}  // namespace arvesk::demo
