#include "demo/generator/buildings.h"

#include "core/formats/exporter.h"
#include "core/geometry/shapes.h"
#include "demo/generator/kit.h"
#include "demo/generator/sculpt.h"

#include <cstdio>

namespace arvesk::demo {
namespace {

std::shared_ptr<const Surface> shared(Surface s) { return std::make_shared<const Surface>(std::move(s)); }

/// A flat polygon with hard normals.
void addFace(Surface& s, const std::vector<Vec3>& corners, const Vec3& color = Vec3(1)) {
  const auto base = static_cast<std::uint32_t>(s.positions.size());
  const Vec3 normal = directionOr(glm::cross(corners[1] - corners[0], corners[2] - corners[0]), kUp);
  for (const Vec3& p : corners) {
    s.positions.edit().push_back(p);
    s.normals.edit().push_back(normal);
    s.colors.edit().push_back(Vec4(color, 1));
  }
  for (std::uint32_t k = 1; k + 1 < corners.size(); ++k) s.triangles.edit().push_back({base, base + k, base + k + 1});
}

/// Split along the grain, so its color runs along it; its underside leans as it does where it lies on the row below.
Surface shingle(std::uint32_t seed, float width, const Vec3& color) {
  constexpr float kDeep = 0.44F;
  constexpr int kStrips = 4;
  Surface s;
  const auto look = [&](float x, float z) {
    return color * (0.95F + 0.3F * noise({x * 60, 0, z * 2}, 1, 2, seed)) * (z > 0.1F ? 1.0F : 0.8F);
  };
  const auto top = [&](float x, float z) {
    const float cup = 0.006F * noise({x * 9, 1, z * 3}, 1, 1, seed + 3);
    return 0.004F + 0.03F * (z / kDeep + 0.5F) + (z > 0 ? cup : 0);
  };
  const float end = 0.012F * noise({1, 2, 3}, 1, 1, seed + 7);  // no two are cut alike
  for (int k = 0; k < kStrips; ++k) {
    const float x0 = width * (static_cast<float>(k) / kStrips - 0.5F);
    const float x1 = width * (static_cast<float>(k + 1) / kStrips - 0.5F);
    const float back = -0.5F * kDeep;
    const float front0 = 0.5F * kDeep + end * x0 / width;
    const float front1 = 0.5F * kDeep + end * x1 / width;
    const Vec3 tone = look(0.5F * (x0 + x1), 0.2F);
    addFace(s,
            {{x0, top(x0, back), back},
             {x0, top(x0, front0), front0},
             {x1, top(x1, front1), front1},
             {x1, top(x1, back), back}},
            tone);
    addFace(s,
            {{x0, top(x0, front0) - 0.016F, front0},
             {x1, top(x1, front1) - 0.016F, front1},
             {x1, top(x1, front1), front1},
             {x0, top(x0, front0), front0}},
            tone * 0.55F);
  }
  for (const float side : {-0.5F, 0.5F}) {
    const float x = side * width;
    const float front = 0.5F * kDeep + end * side;
    std::vector<Vec3> face{{x, 0, -0.5F * kDeep},
                           {x, top(x, front) - 0.016F, front},
                           {x, top(x, front), front},
                           {x, top(x, -0.5F * kDeep), -0.5F * kDeep}};
    if (side < 0) std::reverse(face.begin(), face.end());
    addFace(s, face, look(x, 0) * 0.7F);
  }
  return s;
}

/// A block whose corners are worn round, with its face at the top: courses on a wall look along the wall's normal.
Surface block(std::uint32_t seed, const Vec3& color) {
  Surface s = displacedBall(3, [&](const Vec3& d) {
    const Vec3 a = glm::abs(d);
    const float largest = std::max({a.x, a.y, a.z});
    const float power = std::pow(
        std::pow(a.x / largest, 7.0F) + std::pow(a.y / largest, 7.0F) + std::pow(a.z / largest, 7.0F), 1.0F / 7);
    const Vec3 cube = d / largest / power;
    return cube * Vec3(0.25F, 0.1F, 0.125F) * (1 + 0.05F * noise(cube * 1.7F, 1, 3, seed));
  });
  paint(s, [&](const Vec3& p, const Vec3&) {
    return color * (1 + 0.35F * noise(p * 6.0F, 1, 3, seed + 1) + 0.2F * noise(p * 40.0F, 1, 2, seed + 2));
  });
  return s;
}

/// A roof's two planes or a gable's two walls, boarded: strips that differ in tone.
void addBoarded(Surface& s, const std::vector<Vec3>& corners, int strips, const Vec3& color, std::uint32_t seed) {
  // Corners: bottom left, bottom right, top right, top left; strips run upward.
  for (int k = 0; k < strips; ++k) {
    const float a = static_cast<float>(k) / static_cast<float>(strips);
    const float b = static_cast<float>(k + 1) / static_cast<float>(strips);
    const float tone = 0.85F +
                       0.3F * unitFloat(hashOf(static_cast<std::uint64_t>(seed), static_cast<std::uint64_t>(k)));
    addFace(s,
            {glm::mix(corners[0], corners[1], a), glm::mix(corners[0], corners[1], b),
             glm::mix(corners[3], corners[2], b), glm::mix(corners[3], corners[2], a)},
            color * tone);
  }
}

/// A tarred timber hut on a stone foot, its door in the front (+Z).
Surface netLoft(std::uint32_t seed, const Vec3& size, float roofRise, const Vec3& wood, const Vec3& roof,
                const Vec3& door) {
  Surface s;
  const float w = 0.5F * size.x, d = 0.5F * size.z, foot = 0.35F, eaves = size.y, ridge = size.y + roofRise;
  Surface stone = timber({size.x + 0.16F, foot, size.z + 0.16F}, srgb(112, 108, 100), seed);
  add(s, stone);
  const auto wall = [&](const Vec3& a, const Vec3& b) {
    addBoarded(s, {a + Vec3(0, foot, 0), b + Vec3(0, foot, 0), b + Vec3(0, eaves, 0), a + Vec3(0, eaves, 0)},
               static_cast<int>(glm::distance(a, b) / 0.24F), wood,
               seed + static_cast<std::uint32_t>(a.x * 31 + a.z * 7));
  };
  wall({-w, 0, d}, {w, 0, d});
  wall({w, 0, d}, {w, 0, -d});
  wall({w, 0, -d}, {-w, 0, -d});
  wall({-w, 0, -d}, {-w, 0, d});
  addFace(s, {{-w, eaves, d}, {w, eaves, d}, {0, ridge, d}}, wood * 0.9F);
  addFace(s, {{w, eaves, -d}, {-w, eaves, -d}, {0, ridge, -d}}, wood * 0.9F);
  const float over = 0.24F;
  const float drop = over * roofRise / w;
  for (const float side : {-1.0F, 1.0F}) {
    const Vec3 lowFront(side * (w + over), eaves - drop, d + over), lowBack(side * (w + over), eaves - drop, -d - over);
    const Vec3 topFront(0, ridge, d + over), topBack(0, ridge, -d - over);
    const Vec3 up(0, 0.09F, 0);
    const int strips = static_cast<int>(size.z / 0.3F);
    if (side > 0) {
      addBoarded(s, {lowFront + up, lowBack + up, topBack + up, topFront + up}, strips, roof, seed + 11);
      addFace(s, {lowBack, lowFront, topFront, topBack}, roof * 0.5F);
    } else {
      addBoarded(s, {lowBack + up, lowFront + up, topFront + up, topBack + up}, strips, roof, seed + 12);
      addFace(s, {lowFront, lowBack, topBack, topFront}, roof * 0.5F);
    }
    std::vector<Vec3> front{lowFront, topFront, topFront + up, lowFront + up};
    std::vector<Vec3> back{topBack, lowBack, lowBack + up, topBack + up};
    std::vector<Vec3> eave{lowBack, lowFront, lowFront + up, lowBack + up};
    if (side > 0)
      for (auto* face : {&front, &back, &eave}) std::reverse(face->begin(), face->end());
    for (const auto* face : {&front, &back, &eave}) addFace(s, *face, roof * 0.7F);
  }
  add(s, at(timber({1.1F, 1.9F, 0.06F}, door, seed + 21), {-0.2F * w, foot, d + 0.02F}));
  for (const float y : {0.75F, 1.75F})
    add(s, at(timber({1.02F, 0.09F, 0.04F}, door * 0.6F, seed + 22), {-0.2F * w, foot + y, d + 0.06F}));
  const auto window = [&](const Vec3& middle, float turnDeg) {
    add(s, at(timber({0.7F, 0.62F, 0.05F}, srgb(206, 202, 190), seed + 31), middle, {0, turnDeg, 0}));
    const Vec3 out = turnOf({0, turnDeg, 0}) * Vec3(0, 0, 0.02F);
    for (const float x : {-0.155F, 0.155F})
      add(s, at(timber({0.26F, 0.5F, 0.04F}, srgb(40, 54, 62), seed + 32),
                middle + Vec3(0, 0.06F, 0) + out + turnOf({0, turnDeg, 0}) * Vec3(x, 0, 0), {0, turnDeg, 0}));
  };
  window({0.5F * w, foot + 1.05F, d + 0.02F}, 0);
  window({w + 0.02F, foot + 1.05F, 0.2F * d}, 90);
  add(s, at(timber({0.5F, 0.5F, 0.05F}, door * 0.8F, seed + 41), {0, eaves + 0.22F * roofRise, d + 0.02F}));
  return s;
}

}  // namespace

void makeCovering(const std::string& folder) {
  const auto emit = [&](Surface s, const char* name) { writeProp(s, name, folder, false); };
  emit(shingle(401, 0.2F, srgb(142, 132, 116)), "shingle-a");
  emit(shingle(409, 0.16F, srgb(158, 150, 136)), "shingle-b");
  emit(shingle(419, 0.24F, srgb(122, 112, 98)), "shingle-c");
  emit(block(431, srgb(120, 116, 106)), "block-a");
  emit(block(433, srgb(138, 130, 116)), "block-b");
  emit(block(439, srgb(104, 104, 102)), "block-c");
  emit(netLoft(443, {4.2F, 3.1F, 5.4F}, 1.9F, srgb(54, 50, 48), srgb(104, 92, 82), srgb(66, 108, 104)), "net-loft-a");
  emit(netLoft(449, {3.6F, 4.4F, 4.6F}, 1.6F, srgb(70, 62, 54), srgb(92, 96, 98), srgb(150, 84, 58)), "net-loft-b");
  emit(netLoft(457, {5.0F, 2.8F, 4.4F}, 2.0F, srgb(62, 56, 56), srgb(118, 104, 88), srgb(182, 158, 92)), "net-loft-c");
  emit(netLoft(461, {4.0F, 3.6F, 6.2F}, 2.3F, srgb(84, 76, 66), srgb(84, 78, 76), srgb(86, 98, 122)), "net-loft-d");
}

void makeBoathouse(const std::string& folder) {
  // East of the jetty, its gate to the sea, its slip down to the water.
  constexpr float kX = 45.5F, kBack = -15, kFront = -6.5F, kHalf = 3.1F;
  constexpr float kFloor = 2.5F, kEaves = 4.9F, kRidge = 7.4F;
  const Vec3 dark = srgb(58, 52, 46);
  Surface plinth = at(timber({2 * kHalf + 0.3F, 2.1F, kFront - kBack + 0.3F}, srgb(116, 112, 102), 501),
                      {kX, kFloor - 2.1F, 0.5F * (kFront + kBack)});
  // What boards are nailed to: flat, one face a side, so that courses run over it. The gate is left open.
  Surface sheathing;
  const float left = kX - kHalf, right = kX + kHalf, gate = 1.5F, lintel = kFloor + 2.3F;
  addFace(sheathing, {{right, kFloor, kFront}, {right, kFloor, kBack}, {right, kEaves, kBack}, {right, kEaves, kFront}},
          dark);
  addFace(sheathing, {{left, kFloor, kBack}, {left, kFloor, kFront}, {left, kEaves, kFront}, {left, kEaves, kBack}},
          dark);
  addFace(sheathing,
          {{right, kFloor, kBack},
           {left, kFloor, kBack},
           {left, kEaves, kBack},
           {kX, kRidge, kBack},
           {right, kEaves, kBack}},
          dark);
  // The front gable around the gate, of corners that neighbors share.
  addFace(sheathing,
          {{left, kFloor, kFront}, {kX - gate, kFloor, kFront}, {kX - gate, lintel, kFront}, {left, kEaves, kFront}},
          dark);
  addFace(sheathing,
          {{kX + gate, kFloor, kFront}, {right, kFloor, kFront}, {right, kEaves, kFront}, {kX + gate, lintel, kFront}},
          dark);
  addFace(sheathing,
          {{kX - gate, lintel, kFront},
           {kX + gate, lintel, kFront},
           {right, kEaves, kFront},
           {kX, kRidge, kFront},
           {left, kEaves, kFront}},
          dark);
  Surface roof;
  const float over = 0.35F, rise = (kRidge - kEaves) / kHalf, up = 0.1F;
  const float low = kEaves - over * rise + up;
  for (const float side : {-1.0F, 1.0F}) {
    std::vector<Vec3> face{{kX + side * (kHalf + over), low, kFront + over},
                           {kX + side * (kHalf + over), low, kBack - over},
                           {kX, kRidge + up, kBack - over},
                           {kX, kRidge + up, kFront + over}};
    if (side < 0) std::reverse(face.begin(), face.end());
    addFace(roof, face, srgb(74, 64, 54));
  }
  Surface frame;
  const auto beam = [&](const Vec3& size, const Vec3& place, const Vec3& turn = Vec3(0)) {
    add(frame, at(timber(size, srgb(98, 84, 66), 511 + static_cast<std::uint32_t>(frame.faceCount())), place, turn));
  };
  const float slope = degrees(std::atan(rise));
  const float rafter = std::hypot(kHalf + over, kRidge - low);
  for (const float z : {kFront + over - 0.05F, kBack - over + 0.05F})
    for (const float side : {-1.0F, 1.0F})
      beam({rafter + 0.1F, 0.2F, 0.1F}, Vec3(kX + side * 0.5F * (kHalf + over), 0.5F * (low + kRidge) - 0.13F, z),
           {0, 0, -side * slope});
  for (const float side : {-1.0F, 1.0F})  // boards over the ridge
    beam({0.24F, 0.03F, kFront - kBack + 2 * over + 0.06F},
         {kX + side * 0.085F, kRidge + up + 0.005F, 0.5F * (kFront + kBack)}, {0, 0, -side * slope});
  beam({0.16F, 0.18F, kFront - kBack + 2 * over - 0.1F}, {kX, kRidge - 0.14F, 0.5F * (kFront + kBack)});
  for (const float x : {kX - gate - 0.02F, kX + gate + 0.02F}) beam({0.2F, 2.3F, 0.24F}, {x, kFloor, kFront});
  beam({2 * gate + 0.5F, 0.24F, 0.26F}, {kX, lintel - 0.06F, kFront});
  for (const float x : {left, right})
    for (const float z : {kBack, kFront}) beam({0.18F, kEaves - kFloor, 0.18F}, {x, kFloor, z});
  // The slip: a slope of stone from the gate down the beach, a wall at either side that reaches a little into the sand.
  constexpr float kEnd = 9.5F, kLow = 0.62F, kWall = 1.9F;
  const float top = kFloor - 0.02F;
  Surface slip;
  addFace(slip,
          {{kX - kWall, top, kFront}, {kX - kWall, kLow, kEnd}, {kX + kWall, kLow, kEnd}, {kX + kWall, top, kFront}},
          srgb(110, 106, 96));
  Surface walls;
  const float thick = 0.45F, high = 0.45F;
  constexpr float kFoot = 1.5F;
  const Vec3 stone = srgb(70, 66, 60);
  for (const float side : {-1.0F, 1.0F}) {
    const float in = kX + side * kWall, out = kX + side * (kWall + thick);
    const auto quad = [&](std::vector<Vec3> face) {
      if (side < 0) std::reverse(face.begin(), face.end());
      addFace(walls, face, stone);
    };
    quad({{out, top + high, kFront}, {out, kFoot, kFront}, {out, kLow - 0.05F, kEnd}, {out, kLow + high, kEnd}});
    quad({{out, kLow + high, kEnd}, {out, kLow - 0.05F, kEnd}, {in, kLow - 0.05F, kEnd}, {in, kLow + high, kEnd}});
    quad({{in, kLow + high, kEnd}, {in, kLow - 0.05F, kEnd}, {in, kFoot, kFront}, {in, top + high, kFront}});
    quad({{in, top + high, kFront}, {out, top + high, kFront}, {out, kLow + high, kEnd}, {in, kLow + high, kEnd}});
  }
  for (Surface* s : {&plinth, &sheathing, &roof, &frame, &slip, &walls}) {
    Material m;
    m.name = "wood and stone";
    m.baseColor = Vec4(1);
    m.roughness = 0.9F;
    m.isTwoSided = s == &sheathing || s == &roof;
    s->materials = {m};
  }
  const std::vector<exporters::SceneItem> items{{"plinth", shared(plinth)}, {"sheathing", shared(sheathing)},
                                                {"roof", shared(roof)},     {"frame", shared(frame)},
                                                {"slip", shared(slip)},     {"slip-walls", shared(walls)}};
  if (auto ok = exporters::glbOf(items, folder + "/boathouse.glb"); !ok)
    std::fprintf(stderr, "%s\n", toLine(ok.error()).c_str());
  else
    std::printf("boathouse.glb      %zu nodes\n", items.size());
}

void makeLots(const std::string& folder) {
  // Two rows of lots along a lane that bends, of every width and depth, on ground that rises.
  Surface lots;
  const auto place = [](float along, float across) {
    const float bend = 0.016F * along;
    const Vec3 on(along * std::cos(0.5F * bend), 0, 0.5F * along * std::sin(bend));
    const Vec3 out(-std::sin(bend), 0, std::cos(bend));
    return on + out * across;
  };
  Chance chance(601);
  for (const float side : {-1.0F, 1.0F}) {
    float at = -34;
    while (at < 34) {
      const float width = chance.between(5, 13);
      const float deepA = chance.between(6, 13), deepB = chance.between(6, 13);
      std::vector<Vec3> face{place(at, side * 2.2F), place(at + width - 0.3F, side * 2.2F),
                             place(at + width - 0.3F, side * (2.2F + deepB)), place(at, side * (2.2F + deepA))};
      const float level = 0.035F * (at + 0.5F * width + 40) + 0.85F;  // each lot is level, the lane rises
      for (Vec3& p : face) p.y = level;
      // Up is outside, and the side along the lane comes first.
      if (side > 0) face = {face[1], face[0], face[3], face[2]};
      addFace(lots, face, srgb(112, 116, 84) * chance.between(0.85F, 1.15F));
      // A bank of earth down to the ground around.
      for (std::size_t k = 0; k < face.size(); ++k) {
        const Vec3 a = face[k], b = face[(k + 1) % face.size()];
        addFace(lots, {a, {a.x, -2, a.z}, {b.x, -2, b.z}, b}, srgb(98, 90, 74));
      }
      at += width;
    }
  }
  Surface lane;
  for (int k = -36; k < 36; ++k) {
    const auto from = static_cast<float>(k);
    std::vector<Vec3> face{place(from, 2.2F), place(from + 1, 2.2F), place(from + 1, -2.2F), place(from, -2.2F)};
    for (std::size_t c = 0; c < 4; ++c) face[c].y = 0.035F * (from + (c == 1 || c == 2 ? 41.0F : 40.0F)) + 0.75F;
    addFace(lane, face, srgb(150, 138, 116) * chance.between(0.93F, 1.07F));
  }
  Material m;
  m.name = "grass";
  m.baseColor = Vec4(1);
  m.roughness = 0.95F;
  lots.materials = lane.materials = {m};
  if (auto ok = exporters::glbOf({{"lots", shared(lots)}, {"lane", shared(lane)}}, folder + "/lots.glb"); !ok)
    std::fprintf(stderr, "%s\n", toLine(ok.error()).c_str());
  else
    std::printf("lots.glb           %zu triangles\n", lots.faceCount());
}

}  // namespace arvesk::demo
