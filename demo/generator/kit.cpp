#include "demo/generator/kit.h"

#include "core/base/hash.h"
#include "core/formats/exporter.h"
#include "demo/generator/sculpt.h"

#include <cstdio>

namespace arvesk::demo {
namespace {

/// Granite: a ball cut by planes, roughened; warm gray with dark flecks, a band of lichen on top, dark where the tide
/// stands.
Surface boulder(std::uint32_t seed, const Vec3& size, int subdivisions) {
  Chance chance(seed);
  std::vector<std::pair<Vec3, float>> cuts;
  for (int i = 0; i < 11; ++i) {
    const Vec3 n = glm::normalize(Vec3(chance.between(-1, 1), chance.between(-0.5F, 1), chance.between(-1, 1)));
    cuts.push_back({n, chance.between(0.62F, 0.9F)});
  }
  Surface s = displacedBall(subdivisions, [&](const Vec3& d) {
    float r = 1;
    for (const auto& [n, distance] : cuts) {
      const float along = glm::dot(d, n);
      if (along > 0.05F) r = std::min(r, glm::mix(distance / along, 1.0F, 0.12F));
    }
    r *= 1 + 0.07F * noise(d, 0.55F, 3, seed) + 0.02F * noise(d, 0.16F, 2, seed + 1);
    return d * r * size * 0.5F;
  });
  standOnBase(s, size.y * 0.12F);
  paint(s, [&](const Vec3& p, const Vec3& n) {
    const Vec3 q = p / size;
    Vec3 c = glm::mix(srgb(118, 112, 106), srgb(164, 157, 147), 0.5F + 0.6F * noise(q, 0.4F, 3, seed + 2));
    c *= 1 + 0.25F * noise(q, 0.09F, 2, seed + 3);
    const float lichen = std::clamp((n.y - 0.45F) * 1.6F + 0.9F * noise(q, 0.22F, 3, seed + 4) - 0.35F, 0.0F, 1.0F);
    c = glm::mix(c, srgb(176, 168, 118), 0.55F * lichen);
    const float foot = std::clamp(1 - q.y * 4.5F, 0.0F, 1.0F);
    return glm::mix(c, c * 0.55F, foot);
  });
  return s;
}

Surface slab(std::uint32_t seed, const Vec3& size) {
  Surface s = displacedBall(3, [&](const Vec3& d) {
    // A rounded box, higher powers make it flatter.
    const Vec3 a = glm::abs(d);
    const float r = std::pow(std::pow(a.x, 7.0F) + std::pow(a.y, 7.0F) + std::pow(a.z, 7.0F), -1.0F / 7.0F);
    Vec3 p = d * r * 0.5F;
    const float step = std::round((p.y + 0.1F * noise(p, 0.5F, 2, seed)) * 4) / 4;  // layers
    p.x *= 1 + 0.12F * step + 0.10F * noise(p, 0.45F, 3, seed + 1);
    p.z *= 1 + 0.10F * step + 0.12F * noise(p + 3.0F, 0.45F, 3, seed + 2);
    p.y += 0.06F * noise(p, 0.35F, 3, seed + 3);
    return p * size;
  });
  standOnBase(s, size.y * 0.2F);
  paint(s, [&](const Vec3& p, const Vec3& n) {
    const Vec3 q = p / size;
    const float layer = 0.5F + 0.5F * std::sin(q.y * 26 + 2 * noise(q, 0.5F, 2, seed + 5));
    Vec3 c = glm::mix(srgb(98, 95, 92), srgb(142, 134, 124), layer * 0.6F + 0.3F * noise(q, 0.2F, 2, seed + 4));
    return c * (0.75F + 0.35F * std::clamp(n.y, 0.0F, 1.0F));
  });
  return s;
}

Surface pebble(std::uint32_t seed, const Vec3& size, const Vec3& color) {
  Surface s = displacedBall(2, [&](const Vec3& d) { return d * (1 + 0.09F * noise(d, 0.9F, 2, seed)) * size * 0.5F; });
  standOnBase(s, size.y * 0.25F);
  paint(s, [&](const Vec3& p, const Vec3&) { return color * (1 + 0.35F * noise(p / size, 0.35F, 3, seed + 1)); });
  return s;
}

/// Lies along X, as a log does that rolled into the wrack line; two detached parts, as real kits have.
Surface driftwood(std::uint32_t seed, float length, float thickness) {
  Surface s;
  const auto wood = [seed](float share, float turn) {
    const float grain = noise(Vec3(share * 2, turn * 9, 1), 0.35F, 2, seed);
    return turn < 0 ? srgb(168, 150, 124) : glm::mix(srgb(150, 140, 126), srgb(196, 187, 172), 0.5F + 0.6F * grain);
  };
  std::vector<Vec3> spine;
  for (int i = 0; i <= 14; ++i) {
    const float t = static_cast<float>(i) / 14;
    spine.push_back({(t - 0.5F) * length,
                     0.05F * length * std::sin(t * 2.6F + static_cast<float>(seed)) +
                         0.02F * length * noise(Vec3(t * 3, 0, 0), 0.6F, 2, seed),
                     0.07F * length * std::sin(t * 3.4F)});
  }
  addTube(
      s, spine, 9,
      [&](float share, float turn) {
        const float taper = 1 - 0.55F * share;
        const float end = std::min(1.0F, 6 * std::min(share + 0.06F, 1.04F - share));
        return 0.5F * thickness * taper * end * (1 + 0.16F * noise(Vec3(share * 5, turn * 4, 0), 0.5F, 2, seed + 9));
      },
      wood);
  std::vector<Vec3> branch;
  const Vec3 root = spine[6] + Vec3(0, 0.2F * thickness, 0);
  for (int i = 0; i <= 5; ++i) {
    const float t = static_cast<float>(i) / 5;
    branch.push_back(root + Vec3(0.16F * length * t, thickness * (0.5F * t + 0.5F * t * t),
                                 (seed % 2 ? 0.14F : -0.14F) * length * t));
  }
  addTube(
      s, branch, 6, [&](float share, float) { return 0.2F * thickness * (1 - 0.7F * share); }, wood);
  standOnBase(s, thickness * 0.12F);
  return s;
}

/// Blades from one root, bent by the wind from the sea; tall, thin, many overlaps.
Surface marram(std::uint32_t seed, int blades, float height) {
  Chance chance(seed);
  Surface s;
  for (int b = 0; b < blades; ++b) {
    const float heading = chance.between(0, 2 * kPi);
    const Vec3 out(std::cos(heading), 0, std::sin(heading));
    const Vec3 side(-out.z, 0, out.x);
    const Vec3 root = out * chance.between(0.01F, 0.19F) + Vec3(0, -0.02F, 0);
    const float tall = height * chance.between(0.6F, 1.05F);
    const float bend = chance.between(0.15F, 0.62F);
    std::vector<Vec3> spine;
    for (int i = 0; i <= 4; ++i) {
      const float t = static_cast<float>(i) / 4;
      const float over = t * t * bend;
      spine.push_back(root + out * (tall * over * 0.85F) +
                      Vec3(0.16F * tall * t * t, tall * (t - 0.42F * bend * t * t * t), 0.05F * tall * t * t));
    }
    const float width = chance.between(0.012F, 0.021F);
    const float dry = chance.between(0, 1);
    const Vec3 tip = dry > 0.72F ? srgb(196, 178, 118)
                                 : glm::mix(srgb(126, 141, 74), srgb(160, 164, 96), chance.between(0, 1));
    addBlade(
        s, spine, side, [width](float t) { return width * (1 - t * t * 0.98F); },
        dry > 0.72F ? srgb(150, 132, 84) : srgb(78, 92, 46), tip);
  }
  return s;
}

/// A low cabbage of thick, wavy, gray-green leaves.
Surface seaKale(std::uint32_t seed) {
  Chance chance(seed);
  Surface s;
  for (int l = 0; l < 15; ++l) {
    const float heading = static_cast<float>(l) * 2.399963F + chance.between(-0.2F, 0.2F);  // golden angle
    const Vec3 out(std::cos(heading), 0, std::sin(heading));
    const Vec3 side(-out.z, 0, out.x);
    const float inner = 1 - static_cast<float>(l) / 15;
    const float length = 0.16F + 0.22F * (1 - inner) + chance.between(0, 0.04F);
    const float rise = 0.35F + 0.75F * inner;
    std::vector<Vec3> spine;
    for (int i = 0; i <= 6; ++i) {
      const float t = static_cast<float>(i) / 6;
      spine.push_back(Vec3(0, 0.01F, 0) + out * (length * t) +
                      Vec3(0, length * (rise * t - 0.75F * t * t * (1 - 0.5F * inner)) + 0.02F * std::sin(t * 14), 0));
    }
    const float wide = 0.16F + 0.06F * (1 - inner);
    addBlade(
        s, spine, side,
        [wide](float t) {
          return wide * std::sin(std::min(1.0F, 0.18F + t * 0.95F) * kPi * 0.86F) * (1 + 0.14F * std::sin(t * 30));
        },
        srgb(128, 132, 118), glm::mix(srgb(116, 146, 128), srgb(154, 172, 150), chance.between(0, 1)));
  }
  return s;
}

/// Adds `part`, turned and moved, to `whole`.
void addPart(Surface& whole, const Surface& part) {
  const auto base = static_cast<std::uint32_t>(whole.positions.size());
  for (const Vec3& p : part.positions) whole.positions.edit().push_back(p);
  for (const Vec3& n : part.normals) whole.normals.edit().push_back(n);
  for (const Vec4& c : part.colors) whole.colors.edit().push_back(c);
  for (const UVec3& t : part.triangles) whole.triangles.edit().push_back(t + base);
}

/// Shells standing on their points, packed around a middle: blue-black, worn to gray where they rub.
Surface musselClump(std::uint32_t seed) {
  Chance chance(seed);
  Surface s;
  for (int i = 0; i < 17; ++i) {
    const float ring = std::sqrt((static_cast<float>(i) + 0.4F) / 17);
    const float heading = static_cast<float>(i) * 2.399963F;
    const Vec3 out(std::cos(heading), 0, std::sin(heading));
    const float length = chance.between(0.075F, 0.115F);
    Surface shell = displacedBall(1, [&](const Vec3& d) {
      const float taper = d.y < 0 ? 1 - 0.55F * d.y * d.y : 1 - 0.25F * d.y * d.y;  // pointed below, round above
      return Vec3(d.x * 0.17F * taper, d.y * 0.5F, d.z * 0.27F * taper) * length;
    });
    const Vec3 low = srgb(34, 35, 40);
    const Vec3 high = glm::mix(srgb(30, 33, 44), srgb(78, 76, 86), chance.between(0, 1));
    paint(shell, [&](const Vec3& p, const Vec3&) {
      return glm::mix(low, high, std::clamp(0.5F + p.y / length, 0.0F, 1.0F)) *
             (1 + 0.25F * noise(p / length, 0.4F, 2, seed));
    });
    const Quat turn = glm::angleAxis(chance.between(0, 2 * kPi), kUp);
    const Quat lean = glm::angleAxis(ring * chance.between(0.5F, 0.95F), Vec3(out.z, 0, -out.x));
    const Vec3 at = out * (0.115F * ring) + Vec3(0, length * (0.34F - 0.16F * ring), 0);
    addPart(s, transformed(shell, at, lean * turn, 1));
  }
  return s;
}

/// A low ribbed cone.
Surface limpet(std::uint32_t seed) {
  constexpr int kRibs = 18;
  constexpr int kRings = 4;
  Surface s;
  for (int r = 0; r <= kRings; ++r) {
    const float share = static_cast<float>(r) / kRings;
    for (int i = 0; i < kRibs; ++i) {
      const float a = 2 * kPi * static_cast<float>(i) / kRibs;
      const float rib = 1 + (i % 2 ? 0.05F : -0.03F) * share +
                        0.05F * noise(Vec3(std::cos(a), share, std::sin(a)), 0.5F, 2, seed);
      s.positions.edit().push_back(Vec3(std::cos(a) * 0.034F * share * rib - 0.004F * (1 - share),
                                        0.026F * (1 - std::pow(share, 1.35F)) - 0.003F,
                                        std::sin(a) * 0.028F * share * rib));
    }
  }
  const auto at = [](int r, int i) { return static_cast<std::uint32_t>(r * kRibs + i % kRibs); };
  for (int r = 0; r < kRings; ++r)
    for (int i = 0; i < kRibs; ++i) {
      if (r > 0) s.triangles.edit().push_back({at(r, i), at(r, i + 1), at(r + 1, i)});
      s.triangles.edit().push_back({at(r, i + 1), at(r + 1, i + 1), at(r + 1, i)});
    }
  computeSmoothNormals(s);
  paint(s, [&](const Vec3& p, const Vec3&) {
    const float share = glm::length(Vec2(p.x, p.z)) / 0.034F;
    return glm::mix(srgb(206, 190, 158), srgb(122, 112, 96), share) * (1 + 0.2F * noise(p / 0.034F, 0.3F, 2, seed + 1));
  });
  return s;
}

struct WeedLook {
  int blades;
  float length;  // m
  float width;   // m
  float rise;    // how far the blades stand up, share of their length
  float ruffle;  // of the edges
  Vec3 rootColor;
  Vec3 tipColor;
};

/// Seaweed left by the tide: blades from one hold that lie over the rock, or stand in a tuft.
Surface seaweed(std::uint32_t seed, const WeedLook& look) {
  Chance chance(seed);
  Surface s;
  for (int b = 0; b < look.blades; ++b) {
    const float heading = static_cast<float>(b) * 2.399963F + chance.between(-0.4F, 0.4F);
    const float length = look.length * chance.between(0.6F, 1.05F);
    const float rise = look.rise * chance.between(0.6F, 1.2F);
    const float swing = chance.between(-0.9F, 0.9F);
    const float phase = chance.between(0, 6);
    std::vector<Vec3> spine;
    for (int i = 0; i <= 5; ++i) {
      const float t = static_cast<float>(i) / 5;
      const float turned = heading + swing * t * t;
      const Vec3 out(std::cos(turned), 0, std::sin(turned));
      const float up = rise * std::sin(std::min(1.0F, t * 1.2F) * kPi * (look.rise > 0.6F ? 0.5F : 0.8F)) +
                       0.035F * std::sin(t * 9 + phase);
      const float along = look.rise > 0.6F ? t * 0.5F : t;
      spine.push_back(out * (length * along) + Vec3(0, std::max(0.006F, length * up + 0.008F), 0));
    }
    const Vec3 side(-std::sin(heading), 0, std::cos(heading));
    const float width = look.width * chance.between(0.75F, 1.2F);
    const float shade = chance.between(0.75F, 1.15F);
    addBlade(
        s, spine, side,
        [&](float t) {
          return width * std::sin(std::min(1.0F, 0.2F + t) * kPi * 0.88F) *
                 (1 + look.ruffle * std::sin(t * 24 + phase));
        },
        look.rootColor * shade, look.tipColor * shade);
  }
  return s;
}

}  // namespace

void writeProp(Surface& s, const std::string& name, const std::string& folder, bool isTwoSided) {
  Material m;
  m.name = name;
  m.baseColor = Vec4(1);
  m.roughness = 0.9F;
  m.isTwoSided = isTwoSided;
  s.materials = {m};
  const std::string path = folder + "/" + name + ".glb";
  std::vector<exporters::SceneItem> items{{name, std::make_shared<const Surface>(s)}};
  for (const SceneNode& mount : s.nodes) items.push_back({mount.name, nullptr, mount.position, mount.turn, mount.size});
  if (auto ok = exporters::glbOf(items, path); !ok)
    std::fprintf(stderr, "%s\n", toLine(ok.error()).c_str());
  else
    std::printf("%-18s %6zu triangles\n", name.c_str(), s.faceCount());
}

void makeKit(const std::string& folder) {
  const auto emit = [&](Surface s, const char* name, bool isTwoSided = false) {
    writeProp(s, name, folder, isTwoSided);
  };
  emit(boulder(11, {2.6F, 1.9F, 2.2F}, 3), "boulder-a");
  emit(boulder(23, {1.7F, 1.1F, 1.4F}, 3), "boulder-b");
  emit(boulder(37, {1.0F, 0.8F, 1.15F}, 3), "boulder-c");
  emit(slab(41, {2.8F, 0.55F, 1.9F}), "slab-a");
  Surface zUp = slab(53, {1.9F, 0.4F, 1.5F});  // Z-up on purpose: real kits mix axes
  for (Vec3& p : zUp.positions.edit()) p = {p.x, -p.z, p.y};
  for (Vec3& n : zUp.normals.edit()) n = {n.x, -n.z, n.y};
  emit(std::move(zUp), "slab-b");
  emit(pebble(61, {0.16F, 0.09F, 0.13F}, srgb(128, 126, 122)), "pebble-a");
  emit(pebble(67, {0.11F, 0.08F, 0.10F}, srgb(168, 158, 144)), "pebble-b");
  emit(pebble(71, {0.22F, 0.11F, 0.17F}, srgb(108, 102, 100)), "pebble-c");
  emit(driftwood(2, 2.2F, 0.24F), "driftwood-a");
  emit(driftwood(5, 1.3F, 0.17F), "driftwood-b");
  emit(marram(81, 66, 0.82F), "marram-a", true);
  emit(marram(87, 54, 0.68F), "marram-b", true);
  emit(marram(93, 40, 0.5F), "marram-c", true);
  Surface kale = seaKale(97);  // in centimeters on purpose
  for (Vec3& p : kale.positions.edit()) p *= 100.0F;
  emit(std::move(kale), "sea-kale", true);
  emit(musselClump(101), "mussel-clump");
  emit(limpet(103), "limpet");
  const WeedLook wrack{22, 0.34F, 0.042F, 0.16F, 0.25F, srgb(74, 62, 30), srgb(132, 116, 52)};
  emit(seaweed(107, wrack), "bladderwrack-a", true);
  emit(seaweed(109, {16, 0.26F, 0.038F, 0.2F, 0.25F, srgb(66, 56, 30), srgb(118, 108, 56)}), "bladderwrack-b", true);
  const WeedLook lettuce{13, 0.17F, 0.11F, 0.34F, 0.3F, srgb(52, 74, 34), srgb(104, 128, 58)};
  emit(seaweed(113, lettuce), "sea-lettuce-a", true);
  emit(seaweed(127, {9, 0.13F, 0.09F, 0.4F, 0.3F, srgb(56, 80, 36), srgb(116, 138, 66)}), "sea-lettuce-b", true);
  const WeedLook coralline{34, 0.1F, 0.014F, 1.0F, 0.4F, srgb(150, 92, 104), srgb(214, 158, 164)};
  emit(seaweed(131, coralline), "coralline-a", true);
  emit(seaweed(137, {26, 0.075F, 0.013F, 1.05F, 0.4F, srgb(158, 98, 112), srgb(222, 172, 176)}), "coralline-b", true);
}

}  // namespace arvesk::demo
