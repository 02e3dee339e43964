#include "demo/generator/swell.h"

#include "core/base/safe_file.h"
#include "core/base/vec.h"

#include <nlohmann/json.hpp>

#include <array>
#include <cmath>
#include <cstdio>
#include <numbers>
#include <vector>

namespace arvesk::demo {
namespace {

constexpr int kCells = 72;
constexpr float kExtent = 120;  // m
constexpr double kSeconds = 8;
constexpr int kKeys = 64;

/// A wave that runs along `heading`, `times` times within the motion. Its length follows from that: in deep water it is
/// g T² / 2π (Airy). Places go round in circles (Gerstner, 1802).
struct Wave {
  double headingDeg;
  int times;
  double height;  // m, half of it from the middle
  Vec3 by(const Vec3& place, double turn) const {
    const double period = kSeconds / times;
    const double k = 4 * std::numbers::pi * std::numbers::pi / (9.81 * period * period);
    const double a = headingDeg * std::numbers::pi / 180;
    const double dx = std::sin(a);
    const double dz = -std::cos(a);
    const double phase = k * (dx * static_cast<double>(place.x) + dz * static_cast<double>(place.z)) - turn;
    const double along = -height / 2 * std::sin(phase);
    return {static_cast<float>(dx * along), static_cast<float>(height / 2 * std::cos(phase)),
            static_cast<float>(dz * along)};
  }
};
constexpr std::array kWaves{Wave{205, 2, 0.85}, Wave{150, 3, 0.3}, Wave{250, 4, 0.12}};

class Buffer {
 public:
  std::string bytes;
  nlohmann::json views = nlohmann::json::array();
  nlohmann::json accessors = nlohmann::json::array();

  template <typename T>
  std::size_t add(const std::vector<T>& values, std::size_t count, int component, const char* type,
                  const nlohmann::json& more = nlohmann::json::object()) {
    views.push_back({{"buffer", 0}, {"byteOffset", bytes.size()}, {"byteLength", values.size() * sizeof(T)}});
    bytes.append(reinterpret_cast<const char*>(values.data()), values.size() * sizeof(T));
    nlohmann::json accessor{
        {"bufferView", views.size() - 1}, {"componentType", component}, {"count", count}, {"type", type}};
    accessor.update(more);
    accessors.push_back(accessor);
    return accessors.size() - 1;
  }
  std::size_t addVectors(const std::vector<Vec3>& values) {
    Vec3 least(1e9F);
    Vec3 most(-1e9F);
    for (const Vec3& v : values) least = glm::min(least, v), most = glm::max(most, v);
    return add(values, values.size(), 5126, "VEC3",
               {{"min", {least.x, least.y, least.z}}, {"max", {most.x, most.y, most.z}}});
  }
};

}  // namespace

void makeSwell(const std::string& folder) {
  constexpr int kSide = kCells + 1;
  std::vector<Vec3> places;
  std::vector<std::uint32_t> corners;
  for (int z = 0; z < kSide; ++z)
    for (int x = 0; x < kSide; ++x)
      places.push_back(
          {(static_cast<float>(x) / kCells - 0.5F) * kExtent, 0, (static_cast<float>(z) / kCells - 0.5F) * kExtent});
  for (std::uint32_t z = 0; z < kCells; ++z)
    for (std::uint32_t x = 0; x < kCells; ++x) {
      const std::uint32_t a = z * kSide + x;
      for (const std::uint32_t v : {a, a + kSide, a + kSide + 1, a, a + kSide + 1, a + 1}) corners.push_back(v);
    }
  Buffer buffer;
  const std::size_t position = buffer.addVectors(places);
  const std::size_t index = buffer.add(corners, corners.size(), 5125, "SCALAR");
  // cos(kx − t) = cos t cos kx + sin t sin kx: each wave is two shapes, mixed by cosine and sine.
  nlohmann::json targets = nlohmann::json::array();
  for (const Wave& wave : kWaves)
    for (const double turn : {0.0, std::numbers::pi / 2}) {
      std::vector<Vec3> by;
      for (const Vec3& p : places) by.push_back(wave.by(p, turn));
      targets.push_back({{"POSITION", buffer.addVectors(by)}});
    }
  std::vector<float> times;
  std::vector<float> shares;
  for (int key = 0; key <= kKeys; ++key) {
    const double t = static_cast<double>(key) / kKeys;
    times.push_back(static_cast<float>(t * kSeconds));
    for (const Wave& wave : kWaves)
      for (const double turn : {0.0, std::numbers::pi / 2})
        shares.push_back(static_cast<float>(std::cos(2 * std::numbers::pi * t * wave.times - turn)));
  }
  const std::size_t when = buffer.add(times, times.size(), 5126, "SCALAR",
                                      {{"min", std::vector<double>{0}}, {"max", std::vector<double>{kSeconds}}});
  const std::size_t mixed = buffer.add(shares, shares.size(), 5126, "SCALAR");
  using nlohmann::json;
  json doc;
  doc["asset"] = {{"version", "2.0"}, {"generator", "arvesk-demo"}};
  doc["scene"] = 0;
  doc["scenes"][0]["nodes"][0] = 0;
  doc["nodes"][0] = {{"name", "Swell"}, {"mesh", 0}};
  json& material = doc["materials"][0];
  material["name"] = "Sea";
  material["pbrMetallicRoughness"] = {{"metallicFactor", 0}, {"roughnessFactor", 0.25}};
  material["pbrMetallicRoughness"]["baseColorFactor"] = json::array({0.02, 0.085, 0.1, 1});
  json& mesh = doc["meshes"][0];
  mesh["name"] = "Swell";
  mesh["weights"] = std::vector<double>(targets.size(), 0);
  json& primitive = mesh["primitives"][0];
  primitive["attributes"]["POSITION"] = position;
  primitive["indices"] = index;
  primitive["material"] = 0;
  primitive["targets"] = targets;
  json& animation = doc["animations"][0];
  animation["name"] = "Swell";
  animation["channels"][0]["sampler"] = 0;
  animation["channels"][0]["target"] = {{"node", 0}, {"path", "weights"}};
  animation["samplers"][0] = {{"input", when}, {"output", mixed}, {"interpolation", "LINEAR"}};
  doc["accessors"] = buffer.accessors;
  doc["bufferViews"] = buffer.views;
  doc["buffers"][0]["byteLength"] = buffer.bytes.size();
  std::string text = doc.dump();
  text.resize((text.size() + 3) / 4 * 4, ' ');
  std::string all = "glTF";
  const auto word = [&](std::size_t v) {
    const auto w = static_cast<std::uint32_t>(v);
    all.append(reinterpret_cast<const char*>(&w), 4);
  };
  word(2), word(28 + text.size() + buffer.bytes.size());
  word(text.size()), all += "JSON" + text;
  word(buffer.bytes.size()), all.append("BIN\0", 4), all += buffer.bytes;
  if (!writeWhole(folder + "/swell.glb", all)) std::fprintf(stderr, "swell.glb could not be written\n");
}

}  // namespace arvesk::demo
