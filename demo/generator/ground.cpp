#include "demo/generator/ground.h"

#include "demo/generator/sculpt.h"

#include <OpenImageIO/imageio.h>

#include <algorithm>
#include <cstdio>

namespace arvesk::demo {
namespace {

constexpr int kPixels = 1025;
constexpr int kColorPixels = 3072;
constexpr float kExtent = 160;
constexpr float kLowest = -4;
constexpr float kHighest = 22;
constexpr float kHighWater = 1.6F;

float smooth(float from, float to, float v) {
  const float t = std::clamp((v - from) / (to - from), 0.0F, 1.0F);
  return t * t * (3 - 2 * t);
}

/// What the ground is at a place, in shares.
struct Place {
  float height;
  float rock;
  float sandDune;
  float stream;
};

/// The sea lies to the south (+Z). Headland with cliff in the west, crescent beach in the middle, dunes north of it,
/// rock shelf in the south-west at the headland's foot, stream mouth in the east.
Place placeAt(float x, float z) {
  const Vec3 p(x, 0, z);
  const float wobble = 5 * noise(p, 30, 3, 101);
  // The beach is a crescent: the water line bends inland in the middle of the bay.
  const float bay = 16 - 30 * std::exp(-((x - 12) * (x - 12)) / (46 * 46));
  const float inland = bay + 24 - z + wobble * 0.5F;  // m from the foot of the beach, upwards
  float h = inland < 0 ? inland * 0.055F : inland * 0.068F;
  h = std::max(h, -4.0F + 0.2F * noise(p, 12, 3, 7));
  if (inland > 38) h = 38 * 0.068F + (inland - 38) * 0.045F;
  // Dunes: two soft crests along the shore.
  const float duneBand = smooth(34, 48, inland) * (1 - smooth(86, 112, inland)) * smooth(-46, -22, x) *
                         (1 - smooth(54, 66, x));
  const float crest = 0.5F + 0.5F * std::sin(inland * 0.19F + 1.7F * noise(p, 26, 2, 11));
  const float dune = duneBand *
                     (2.6F * crest * (0.75F + 0.5F * noise(p, 18, 2, 13)) + 0.5F * noise(p, 7, 3, 17) + 0.7F);
  h += dune;
  // Headland with a steep seaward face.
  const float edge = x + 44 + 7 * noise(p, 22, 4, 19) + 0.18F * (z - 10);
  const float head = smooth(9, -5, edge) * smooth(66, 44, z + 6 * noise(p, 15, 3, 23));
  const float plateau = 12.5F + 3.5F * noise(p, 34, 3, 29) + 0.04F * (-z);
  h = glm::mix(h, std::max(h, plateau), head);
  // Rock shelf at its foot, stepped and pitted with pools.
  const float shelf = smooth(34, 22, edge + 4 * noise(p, 9, 3, 31)) * (1 - head) * smooth(-14, 4, z) *
                      (1 - smooth(58, 74, z));
  const float raw = 1.5F - 0.026F * (z - 4) + 0.9F * noise(p, 11, 4, 37);
  const float stepped = std::round(raw * 2.5F) / 2.5F;
  const float pools = 0.55F * smooth(0.28F, 0.5F, noise(p, 6.5F, 2, 41));
  h = glm::mix(h, glm::mix(raw, stepped, 0.7F) - pools + 0.12F * noise(p, 1.6F, 3, 43), shelf);
  // Roughness of rock and cliff.
  const float rock = std::max(shelf, head * (1 - 0.85F * smooth(-6, -16, edge)));
  h += rock * (0.30F * noise(p, 2.6F, 4, 47) + 0.5F * head * noise(p, 7, 3, 53));
  // Stream in the east.
  const float course = 55 + 7 * std::sin(z * 0.055F) + 3 * noise(p, 20, 2, 59);
  const float across = std::abs(x - course);
  const float stream = (1 - smooth(1.5F, 6.0F, across)) * smooth(62, 40, z);
  h -= stream * std::clamp(0.35F + 0.05F * h, 0.2F, 1.3F);
  // Ripples of beach sand.
  h += (1 - rock) * (0.02F * noise(p, 1.1F, 2, 61) + 0.05F * noise(p, 5, 3, 67));
  return {std::clamp(h, kLowest, kHighest), std::clamp(rock, 0.0F, 1.0F), duneBand, stream};
}

void writeImage(const std::string& path, int size, int channels, const std::vector<float>& values,
                OIIO::TypeDesc type) {
  const auto out = OIIO::ImageOutput::create(path);
  OIIO::ImageSpec spec(size, size, channels, type);
  spec.attribute("Compression", "jpeg:88");  // PNG has no such choice and lets it be
  if (!out || !out->open(path, spec) || !out->write_image(OIIO::TypeDesc::FLOAT, values.data()) || !out->close())
    std::fprintf(stderr, "%s could not be written\n", path.c_str());
  else
    std::printf("%s\n", path.c_str());
}

Vec3 colorAt(float x, float z, const Place& here, float steepness) {
  const Vec3 p(x, 0, z);
  const float h = here.height;
  Vec3 sand = glm::mix(srgb(186, 166, 132), srgb(208, 190, 158), 0.5F + 0.5F * noise(p, 9, 4, 71));
  sand *= 1 + 0.07F * noise(p, 0.5F, 3, 73) + 0.10F * noise(p, 0.11F, 2, 74);
  // Ripples of wind and water, which lie along the shore and break off.
  const float along = z + 0.9F * noise(p, 3.1F, 2, 75) + 0.25F * noise(p, 0.9F, 2, 76);
  sand *= 1 + 0.09F * std::sin(along * 13) * smooth(-0.1F, 0.5F, noise(p, 5.5F, 2, 77));
  // Broken shells: light grains that gather in drifts.
  const float grains = smooth(0.42F, 0.60F, noise(p, 0.10F, 1, 78)) * smooth(0.05F, 0.45F, noise(p, 2.3F, 3, 80));
  sand = glm::mix(sand, srgb(232, 222, 204), 0.75F * grains);
  const float grit = smooth(0.40F, 0.58F, noise(p, 0.13F, 1, 81)) * smooth(0.0F, 0.5F, noise(p, 3.7F, 3, 82));
  sand = glm::mix(sand, srgb(104, 92, 78), 0.6F * grit);
  const float damp = 1 - smooth(0.25F, 1.15F, h + 0.25F * noise(p, 6, 3, 79));
  sand = glm::mix(sand, sand * Vec3(0.60F, 0.60F, 0.62F), damp);
  const float wrack = std::exp(-std::pow((h - kHighWater + 0.16F - 0.15F * noise(p, 4, 3, 83)) / 0.09F, 2.0F));
  sand = glm::mix(sand, srgb(92, 80, 60), 0.55F * wrack * smooth(-0.1F, 0.35F, noise(p, 1.2F, 3, 89)));
  // Turf behind and on the headland, thin on the dunes.
  const float turfNoise = noise(p, 7, 4, 97);
  const float turf = smooth(4.0F, 7.5F, h + 2.2F * turfNoise) * (1 - smooth(0.5F, 0.9F, steepness)) *
                     (1 - 0.72F * here.sandDune);
  const Vec3 grass = glm::mix(srgb(84, 98, 50), srgb(132, 130, 74), 0.5F + 0.6F * noise(p, 3, 4, 103));
  Vec3 c = glm::mix(sand, grass, turf);
  Vec3 stone = glm::mix(srgb(84, 80, 76), srgb(134, 126, 114), 0.5F + 0.55F * noise(p, 3.2F, 5, 107));
  stone = glm::mix(stone, srgb(150, 124, 96), 0.35F * smooth(0.1F, 0.6F, noise(p + Vec3(0, h, 0), 5, 3, 109)));
  // Beds of rock that dip a little to the east, each of its own tone; joints across them; stains that run down.
  const float bed = h + 0.05F * x + 1.1F * noise(p, 9, 4, 115) + 0.16F * noise(p, 0.9F, 2, 116);
  const float tone = noise(Vec3(0, bed, 0), 2.9F, 5, 117);
  stone *= 1 + 0.26F * tone * (0.6F + 0.8F * noise(p, 5, 2, 124));
  stone = glm::mix(stone, srgb(168, 140, 104), 0.3F * smooth(0.1F, 0.5F, noise(Vec3(9, bed, 3), 3.7F, 3, 118)));
  const float seam = 1 - smooth(0.02F, 0.10F, std::abs(noise(Vec3(5, bed, 0), 1.3F, 2, 119)));
  const float joint = 1 - smooth(0.02F, 0.07F, std::abs(noise(p, 2.4F, 2, 120)));
  stone *= 1 - 0.22F * seam * smooth(-0.3F, 0.2F, noise(p, 3, 2, 125)) -
           0.28F * joint * smooth(-0.2F, 0.3F, noise(p, 4, 2, 121));
  stone = glm::mix(stone, srgb(70, 68, 60), 0.45F * smooth(0.25F, 0.5F, noise(p, 1.5F, 3, 122)));
  // Lichen above the reach of the sea.
  const float lichen = smooth(0.30F, 0.55F, noise(p + Vec3(0, h, 0), 0.7F, 4, 123)) * smooth(3, 5, h);
  stone = glm::mix(stone, srgb(150, 140, 96), 0.3F * lichen);
  const float tide = 1 - smooth(0.9F, 1.9F, h + 0.3F * noise(p, 2.5F, 3, 113));
  stone = glm::mix(stone, stone * Vec3(0.46F, 0.47F, 0.45F), tide);
  const float isStone = std::clamp(std::max(here.rock * (0.35F + 0.65F * (1 - turf)), smooth(0.75F, 1.15F, steepness)),
                                   0.0F, 1.0F);
  c = glm::mix(c, stone, isStone);
  return glm::mix(c, c * Vec3(0.6F, 0.58F, 0.54F), 0.7F * here.stream);
}

}  // namespace

void makeGround(const std::string& folder) {
  const auto at = [](int i, int pixels) {
    return (static_cast<float>(i) / static_cast<float>(pixels - 1) - 0.5F) * kExtent;
  };
  std::vector<float> heights;
  std::vector<float> wet;
  std::vector<float> rock;
  for (int y = 0; y < kPixels; ++y)
    for (int x = 0; x < kPixels; ++x) {
      const Place here = placeAt(at(x, kPixels), at(y, kPixels));
      rock.push_back(here.rock);
      heights.push_back((here.height - kLowest) / (kHighest - kLowest));
      const float damp = 1 - smooth(0.4F, 2.0F,
                                    here.height + 0.4F * noise(Vec3(at(x, kPixels), 0, at(y, kPixels)), 8, 3, 5));
      wet.push_back(std::clamp(std::max(damp, here.stream), 0.0F, 1.0F));
    }
  writeImage(folder + "/tern-cove-height.png", kPixels, 1, heights, OIIO::TypeDesc::UINT16);
  writeImage(folder + "/tern-cove-wet.png", kPixels, 1, wet, OIIO::TypeDesc::UINT8);
  writeImage(folder + "/tern-cove-rock.png", kPixels, 1, rock, OIIO::TypeDesc::UINT8);
  std::vector<float> colors;
  for (int y = 0; y < kColorPixels; ++y)
    for (int x = 0; x < kColorPixels; ++x) {
      const float px = at(x, kColorPixels);
      const float pz = at(y, kColorPixels);
      const Place here = placeAt(px, pz);
      const float e = 0.25F;
      const float steepness = glm::length(Vec2(placeAt(px + e, pz).height - placeAt(px - e, pz).height,
                                               placeAt(px, pz + e).height - placeAt(px, pz - e).height)) /
                              (2 * e);
      const Vec3 c = glm::clamp(colorAt(px, pz, here, steepness), Vec3(0), Vec3(1));
      for (int k = 0; k < 3; ++k) colors.push_back(srgbFromLinear(c[k]));
    }
  writeImage(folder + "/tern-cove-color.jpg", kColorPixels, 3, colors, OIIO::TypeDesc::UINT8);
}

}  // namespace arvesk::demo
