#include "core/picture/render.h"

#include "core/props/coloring.h"

#include "core/base/hash.h"
#include "core/base/noise.h"
#include "core/base/safe_file.h"
#include "core/picture/guide.h"
#include "core/picture/haze.h"

#include <fmt/format.h>
#include <png.h>

#include <atomic>

namespace arvesk {
namespace {

constexpr int kTile = 16;

/// How much of the light's way lies low in the air: 0 from 20° of sun height on, 1 at the horizon.
float lowness(const Vec3& sun) { return std::clamp(1 - sun.y / 0.342F, 0.0F, 1.0F); }

Vec3 sunColor(const Vec3& sun) { return glm::mix(Vec3(2.45F, 2.15F, 1.75F), Vec3(2.2F, 1.25F, 0.55F), lowness(sun)); }

Vec3 skyColor(const Vec3& d, const Vec3& sun) {
  const float up = std::max(0.0F, d.y);
  const float toward = std::max(0.0F, glm::dot(d, sun));
  const float low = lowness(sun);
  const Vec3 warm = glm::mix(Vec3(0.60F, 0.56F, 0.60F), Vec3(0.95F, 0.66F, 0.42F), 0.5F * toward * toward);
  const Vec3 horizon = glm::mix(Vec3(0.62F, 0.70F, 0.78F), warm, low);
  const Vec3 zenith = glm::mix(Vec3(0.16F, 0.31F, 0.56F), Vec3(0.15F, 0.24F, 0.46F), low);
  Vec3 c = glm::mix(horizon, zenith, std::pow(up, 0.55F));
  c += Vec3(1.0F, 0.82F, 0.58F) * (0.20F * std::pow(toward, 8.0F) + 0.5F * std::pow(toward, 200.0F));
  return c;
}

/// Random numbers of one pixel and sample.
class Dice {
 public:
  Dice(int x, int y, int sample)
      : m_state(
            hashOf(static_cast<std::uint64_t>(x), static_cast<std::uint64_t>(y), static_cast<std::uint64_t>(sample))),
        m_even(unitFloat(mix64(hashOf(static_cast<std::uint64_t>(x), static_cast<std::uint64_t>(y)))) +
               0.618034F * static_cast<float>(sample / 2)) {
    m_even -= std::floor(m_even);
  }
  /// Of a pixel's samples, spread evenly over 0…1 (multiples of the golden ratio).
  float even() const { return m_even; }
  float next() {
    m_state = mix64(m_state);
    return unitFloat(m_state);
  }

 private:
  std::uint64_t m_state;
  float m_even;
};

Vec3 around(const Vec3& axis, float u, float v) {  // cosine-weighted about an axis (Malley's method)
  const float r = std::sqrt(u);
  const float a = 2 * kPi * v;
  const Vec3 side = glm::normalize(std::abs(axis.y) < 0.9F ? glm::cross(axis, kUp) : glm::cross(axis, Vec3(1, 0, 0)));
  const Vec3 other = glm::cross(axis, side);
  return glm::normalize(side * (r * std::cos(a)) + other * (r * std::sin(a)) + axis * std::sqrt(std::max(0.0F, 1 - u)));
}

struct Surfel {
  Vec3 position;
  Vec3 normal;  // toward the viewer
  Vec3 flat;    // of the face, toward the viewer
  Vec3 lift;    // from the face to the rounded surface that its normals tell of
  Vec3 color;
  bool isTwoSided;
  bool isGround;
  bool isGhost;
  bool isShore;    // shows its own color, and water can wet it
  bool isCutOpen;  // seen from within through a cut
};

/// What a way from the eye shows, as `rest + share · light`, where the light is what its first surface gets.
struct Seen {
  Vec3 color{0};
  Vec3 light{0};
  Vec3 share{0};

  Seen() = default;
  explicit Seen(const Vec3& shown) : color(shown) {}
  void dim(const Vec3& by) {
    color *= by;
    share *= by;
  }
  void veil(const Vec3& with, const Vec3& amount) {
    color = glm::mix(color, with, amount);
    share *= 1.0F - amount;
  }
};

const Vec3 kInWater(0.035F, 0.16F, 0.18F);     // light that deep water sends
const Vec3 kLostInWater(0.55F, 0.20F, 0.16F);  // per m

class Shader {
 public:
  Shader(const PictureScene& scene, const Camera& camera, bool isCoarse, const std::optional<Cut>& cut)
      : m_scene(scene),
        m_light(lightOf(scene, camera)),
        m_sun(m_light.sunDirection()),
        m_sunLight(sunColor(m_sun)),
        m_isCoarse(isCoarse),
        m_cut(cut ? &*cut : nullptr),
        m_haze(scene.input().hazes) {
    for (const PictureLayer& layer : scene.input().layers) m_colors.emplace_back(*layer.points);
    if (!m_light.hasSky)
      m_plain = lightThatShows(m_light.background);  // for all pixels: finding it took most of a thumbnail's time
  }

  Surfel surfel(const Vec3& origin, const Vec3& direction, const PictureRayHit& hit) const {
    const PictureInstance& in = m_scene.instance(hit.instance);
    const Surface& s = m_scene.shape(in.shape);
    const Mat3 normalTurn = glm::transpose(in.localTurn);
    Surfel out;
    out.position = origin + direction * hit.distance;
    out.normal = directionOr(normalTurn * s.normalAt(hit.face, hit.weights), kUp);
    out.flat = directionOr(normalTurn * s.faceNormal(hit.face), kUp);
    const bool isBack = glm::dot(out.flat, direction) > 0;
    if (isBack) out.flat = -out.flat;
    if (glm::dot(out.normal, out.flat) < 0) out.normal = -out.normal;
    const Material& m = s.materialOf(hit.face);
    Vec3 c(m.baseColor);
    const UVec3 t = s.triangles[hit.face];
    const Vec3 w(1 - hit.weights.x - hit.weights.y, hit.weights.x, hit.weights.y);
    out.lift = s.normals.empty() || isBack ? Vec3(0) : liftOf(s, t, w, in.localTurn);
    if (!s.colors.empty()) c *= Vec3(s.colors[t.x] * w.x + s.colors[t.y] * w.y + s.colors[t.z] * w.z);
    if (m.texture && !s.uvs.empty()) c *= Vec3(m.texture->sampledLinear(s.uvAt(hit.face, hit.weights)));
    out.isGround = in.layer == kGround;
    out.isGhost = !out.isGround && m_scene.input().layers[in.layer].isGhost;
    if (!out.isGround && !m_colors[in.layer].isPlain())
      c = m_colors[in.layer].apply(c, in.point, m_scene.meanColor(in.shape));
    out.color = c;
    out.isShore = !(out.isGround && m_scene.input().groundMask) && !m_scene.input().isMassing;
    out.isTwoSided = m.isTwoSided;
    out.isCutOpen = m_cut && isBack && !m.isTwoSided && m_cut->hides(origin);
    return out;
  }

  /// Without it, faces of rounded things that look away from the sun would lie in their own shadow where their normals
  /// still get light (Hanika, "Hacking the shadow terminator", in Ray Tracing Gems II, 2021).
  static Vec3 liftOf(const Surface& s, const UVec3& t, const Vec3& w, const Mat3& localTurn) {
    const Vec3 p = s.positions[t.x] * w.x + s.positions[t.y] * w.y + s.positions[t.z] * w.z;
    Vec3 lift(0);
    for (int k = 0; k < 3; ++k) {
      const Vec3& n = s.normals[t[k]];
      lift -= w[k] * std::min(0.0F, glm::dot(p - s.positions[t[k]], n)) * n;
    }
    return lift == Vec3(0) ? lift : glm::inverse(localTurn) * lift;
  }

  /// Light that a place sends back to the eye.
  Seen lit(const Surfel& s, Dice& dice) const {
    if (m_light.isShadeless) return Seen(s.color);
    // A tone of its own, the same in light and shade: what is cut open is told from what is lit.
    if (s.isCutOpen)
      return Seen(glm::mix(Vec3(0.52F, 0.19F, 0.09F), s.color, 0.25F) * (0.75F + 0.25F * std::abs(s.normal.y)));
    const Vec3 start = s.position + s.flat * (1e-4F + 2e-6F * glm::length(s.position));
    Vec3 sunLight(0);
    const float facing = glm::dot(s.normal, m_sun);
    const float front = std::max(0.0F, facing);
    const float through = s.isTwoSided ? 0.45F * std::max(0.0F, -facing) : 0;
    if (front + through > 0) {
      const Vec3 toSun = m_isCoarse ? m_sun
                                    : glm::normalize(
                                          m_sun + 0.012F * (2.0F * Vec3(dice.next(), dice.next(), dice.next()) - 1.0F));
      const Vec3 from = facing >= 0 ? start + s.lift : s.position - s.flat * 1e-3F;
      if (!m_scene.isBlocked(from, toSun, 1e4F, m_cut))
        sunLight = m_sunLight * ((front + through) * (m_haze.isEmpty() ? 1 : m_haze.passed(from, toSun, 1e4F, m_cut)));
    }
    Vec3 skyLight;
    const Vec3 bounce(0.16F, 0.15F, 0.12F);
    if (m_isCoarse) {
      skyLight = 0.6F * glm::mix(bounce, Vec3(0.46F, 0.56F, 0.70F), 0.5F + 0.5F * s.normal.y);
    } else {
      const Vec3 d = around(s.normal, dice.next(), dice.next());
      const Vec3 from = start + s.lift;
      const PictureRayHit met = m_scene.first(from, d, m_cut, 12.0F);
      skyLight = met.isHit() ? sentBack(from, d, met) : d.y > 0 ? 0.72F * skyColor(d, m_sun) : bounce;
    }
    Seen seen;
    seen.light = sunLight + skyLight;
    seen.share = s.color;
    seen.color = s.color * seen.light;
    return seen;
  }

  /// Light that another surface sends here: what it gets from the sun, and a share of the sky.
  Vec3 sentBack(const Vec3& origin, const Vec3& direction, const PictureRayHit& hit) const {
    const Surfel s = surfel(origin, direction, hit);
    Vec3 light = 0.32F * glm::mix(Vec3(0.24F, 0.22F, 0.18F), Vec3(0.46F, 0.56F, 0.70F), 0.5F + 0.5F * s.normal.y);
    const float facing = glm::dot(s.normal, m_sun);
    if (facing > 0) {
      const Vec3 start = s.position + s.flat * (1e-4F + 2e-6F * glm::length(s.position));
      if (!m_scene.isBlocked(start, m_sun, 1e4F, m_cut))
        light += m_sunLight * (facing * (m_haze.isEmpty() ? 1 : m_haze.passed(start, m_sun, 1e4F, m_cut)));
    }
    return s.color * light;
  }

  /// What is behind a ray's haze, with what the haze sends to the eye. `reach` is where the ray ends.
  void putHazeBefore(Seen& seen, const Vec3& origin, const Vec3& direction, float reach, Dice& dice) const {
    if (m_haze.isEmpty()) return;
    const Haze::Met met = m_haze.met(origin, direction, std::min(reach, 1e5F), m_cut, dice.even());
    if (met.share <= 0) return;
    const Vec3 at = origin + met.distance * direction;
    const float sun = m_scene.isBlocked(at, m_sun, 1e4F, m_cut)
                          ? 0
                          : scattered(m_haze.passed(at, m_sun, 1e4F, m_cut), glm::dot(direction, m_sun));
    // A way to the sky, any.
    const float height = 2 * dice.next() - 1;
    const float turn = 2 * kPi * dice.next();
    const float flat = std::sqrt(std::max(0.0F, 1 - height * height));
    const Vec3 way(flat * std::cos(turn), height, flat * std::sin(turn));
    Vec3 sky = m_light.hasSky ? skyColor(way, m_sun) : Vec3(0.7F);
    if (way.y < 0 || m_scene.isBlocked(at, way, 12.0F, m_cut)) sky = Vec3(0.16F, 0.15F, 0.12F);
    sky *= scattered(m_haze.passed(at, way, 1e4F, m_cut), 0);
    const Vec3 light = met.color * (m_sunLight * sun + sky);
    seen.veil(hazed(Seen(light), direction, met.distance).color, Vec3(met.share));
  }

  Vec3 background(const Vec3& direction) const {
    if (!m_light.hasSky) return m_plain;
    const Vec3 sky = skyColor(direction, m_sun);
    if (direction.y < 0.015F) return sky;
    // Thin clouds on a sheet high above, drawn out by the wind; they light nothing.
    const Vec2 at = Vec2(direction.x, direction.z) / (direction.y + 0.08F);
    const float drawn = gradientNoiseScalar(at.x * 0.35F, at.y * 0.9F, 0, 21);
    float cloud = 0;
    float size = 1;
    for (std::uint32_t k = 0; k < 4; ++k, size *= 2.1F)
      cloud += gradientNoiseScalar(at.x * 0.55F * size + drawn, at.y * 1.4F * size + 0.6F * drawn, 0, 22 + k) / size;
    const float share = std::clamp(0.9F * cloud + 0.5F * drawn + 0.02F, 0.0F, 0.75F) *
                        std::clamp((direction.y - 0.015F) * 9, 0.0F, 1.0F);
    return glm::mix(sky, glm::mix(Vec3(0.92F, 0.93F, 0.95F), m_sunLight * 0.55F, 0.35F), share);
  }
  Seen hazed(Seen seen, const Vec3& direction, float distance) const {
    if (!m_light.hasSky || m_light.hazeDistance <= 0) return seen;
    const Vec3 haze = skyColor(glm::normalize(Vec3(direction.x, std::max(0.02F, direction.y), direction.z)), m_sun);
    seen.veil(haze, Vec3(1 - std::exp(-distance / m_light.hazeDistance)));
    return seen;
  }

  static Seen ghosted(const Surfel& s, Seen seen) {
    if (s.isGhost) seen.veil(Vec3(0.62F, 0.63F, 0.62F), Vec3(0.82F));
    return seen;
  }

  /// Water: sky, mist and sun mirrored on ripples, ground seen through it, foam where it is shallow.
  Seen water(const Vec3& origin, const Vec3& direction, float waterDistance, Seen below, float belowDistance,
             float depth, bool isShore, Dice& dice) const {
    const Vec3 p = origin + direction * waterDistance;
    const float flat = std::exp(-waterDistance / 60.0F);
    const auto wave = [&](float scale, std::uint32_t seed) {
      return gradientNoiseScalar(p.x * scale, 0, p.z * scale * 1.6F, seed);
    };
    const Vec3 normal = glm::normalize(Vec3(flat * (0.10F * wave(0.9F, 1) + 0.06F * wave(2.7F, 2)), 1,
                                            flat * (0.10F * wave(0.8F, 3) + 0.06F * wave(2.3F, 4))));
    const float cosine = std::clamp(-glm::dot(direction, normal), 0.0F, 1.0F);
    const float mirror = 0.02F + 0.98F * std::pow(1 - cosine, 5.0F);  // Schlick 1994
    Vec3 up = glm::reflect(direction, normal);
    up.y = std::abs(up.y);
    const float glint = 6.0F * std::pow(std::max(0.0F, glm::dot(up, m_sun)), 600.0F);
    const float path = std::max(0.0F, belowDistance - waterDistance);
    below.dim(Vec3(0.82F, 0.9F, 0.92F));
    below.veil(kInWater, 1.0F - glm::exp(-path * kLostInWater));
    Seen mirrored(skyColor(up, m_sun) + Vec3(1, 0.9F, 0.75F) * glint);
    putHazeBefore(mirrored, p, up, std::numeric_limits<float>::infinity(), dice);
    below.veil(mirrored.color, Vec3(mirror));
    if (depth < 0.5F) {  // two lines of foam, torn by noise
      const float torn = 0.5F + 0.9F * gradientNoiseScalar(p.x * 1.3F, depth * 3, p.z * 1.3F, 7) +
                         0.5F * gradientNoiseScalar(p.x * 4.1F, 0, p.z * 4.1F, 8);
      const float line = std::max(1 - depth / 0.07F, 0.75F * (1 - std::abs(depth - 0.27F) / 0.09F));
      // From close by it is lace: threads between bubbles, which melt together from afar.
      const float near = std::exp(-waterDistance / 22.0F);
      const float threads = 1 - 3.2F * std::abs(gradientNoiseScalar(p.x * 2.3F + 0.8F * torn, 0, p.z * 2.3F, 9));
      const float bubbles = 1 - 2.6F * std::abs(gradientNoiseScalar(p.x * 9.0F, depth * 7, p.z * 9.0F, 10));
      const float lace = std::clamp(0.35F + 0.55F * threads + 0.45F * bubbles + 0.9F * (line - 0.55F), 0.0F, 1.0F);
      const float foam = std::clamp(line, 0.0F, 1.0F) * std::clamp(torn * 1.3F, 0.0F, 1.0F) *
                         glm::mix(1.0F, lace, near);
      // Waves run out on ground; on what stands in them there is a rim only.
      below.veil(Vec3(1.15F, 1.17F, 1.18F), Vec3(isShore ? foam : 0.3F * foam));
    }
    return below;
  }

  /// What stands just over the water is wet: darker, and it mirrors the sky where it lies flat.
  Seen wetted(const Surfel& s, const Vec3& direction, float level, Seen seen) const {
    const float over = s.position.y - level;
    if (over > 0.5F) return seen;
    const float torn = 0.09F * gradientNoiseScalar(s.position.x * 0.35F, 0, s.position.z * 0.35F, 11) +
                       0.04F * gradientNoiseScalar(s.position.x * 1.7F, 0, s.position.z * 1.7F, 12);
    const float wet = std::clamp((0.26F + torn - over) / 0.16F, 0.0F, 1.0F) *
                      std::clamp(1 + over / 0.3F, 0.0F, 1.0F);  // deeper down water itself takes the light
    if (wet <= 0) return seen;
    seen.dim(glm::mix(Vec3(1), Vec3(0.70F, 0.68F, 0.66F), wet));
    if (over <= 0) return seen;  // under the water, whose surface is the mirror
    const float lies = std::clamp((s.normal.y - 0.8F) / 0.18F, 0.0F, 1.0F);
    const float cosine = std::clamp(-glm::dot(direction, s.normal), 0.0F, 1.0F);
    const float mirror = 0.02F + 0.98F * std::pow(1 - cosine, 5.0F);
    Vec3 up = glm::reflect(direction, s.normal);
    up.y = std::abs(up.y);
    const float film = std::clamp((0.14F + torn - over) / 0.10F, 0.0F, 1.0F);  // where a wave has just been
    seen.veil(skyColor(up, m_sun), Vec3(lies * mirror * (0.25F * wet + 0.75F * film)));
    return seen;
  }

  /// From below its level: the way through water takes the light, red first; what is looked at over the water is seen
  /// within the cone that its surface lets through (Snell's law, 1.333), the rest of it mirrors the deep.
  static Seen underWater(Seen seen, const Vec3& direction, float way, bool isOver) {
    if (isOver) {
      constexpr float kIndex = 1.333F;
      const float outside = 1 - kIndex * kIndex * (1 - direction.y * direction.y);  // squared cosine
      const float mirror = outside <= 0 ? 1 : 0.02F + 0.98F * std::pow(1 - std::sqrt(outside), 5.0F);
      seen.veil(kInWater, Vec3(mirror));
    }
    seen.veil(kInWater, 1.0F - glm::exp(-way * kLostInWater));
    return seen;
  }

  /// Is water to be seen there: not cut away, and not under ground that a cut has opened?
  bool isWaterAt(const Vec3& place) const {
    if (m_cut->hides(place)) return false;
    Vec3 from = place;
    for (int met = 0; met < 16; ++met) {
      const PictureRayHit above = m_scene.first(from, kUp);
      if (!above.isHit()) return true;
      const PictureInstance& in = m_scene.instance(above.instance);
      if (in.layer == kGround && m_scene.shape(in.shape).faceNormal(above.face).y > 0) return false;
      from += (above.distance + 1e-3F) * kUp;  // a thing that hangs over it
    }
    return true;
  }
  const PictureLight& light() const { return m_light; }
  const Cut* cut() const { return m_cut; }

 private:
  static PictureLight lightOf(const PictureScene& scene, const Camera& camera) {
    PictureLight light = scene.input().light;
    if (camera.sun) light.sunHeadingDeg = camera.sun->headingDeg, light.sunHeightDeg = camera.sun->heightDeg;
    return light;
  }

  /// How much light haze sends on in a direction, as a share of what a white wall would, when `passed` of it comes
  /// straight. Light that was scattered before goes farther and into all directions: three rounds, each half as strong
  /// (Wrenninge, Kulla and Lundqvist, "Oz: the great and volumetric", SIGGRAPH talks, 2013).
  static float scattered(float passed, float cosine) {
    float sum = 0;
    float strength = 0.45F;
    float lost = -std::log(std::max(passed, 1e-6F));
    float forward = 0.4F;  // Henyey and Greenstein, "Diffuse radiation in the galaxy", Astrophysical Journal, 1941
    for (int round = 0; round < 3; ++round) {
      const float b = 1 + forward * forward - 2 * forward * cosine;
      sum += strength * std::exp(-lost) * (1 - forward * forward) / (b * std::sqrt(b));
      strength *= 0.5F;
      lost *= 0.5F;
      forward *= 0.5F;
    }
    return sum;
  }

  const PictureScene& m_scene;
  PictureLight m_light;
  Vec3 m_sun;
  Vec3 m_sunLight;
  bool m_isCoarse;
  const Cut* m_cut;
  Vec3 m_plain{0};
  Haze m_haze;
  std::vector<PointColors> m_colors;
};

struct PixelWork {
  int x;
  int y;
  Vec3 origin;
  Vec3 direction;
  PictureRayHit hit;
  Surfel surfel;
};

/// The ground's colors replaced by the values of the mask, asked for all hits of the tile at once.
void paintMask(const PictureScene& scene, std::vector<PixelWork>& work) {
  const MaskPtr& mask = scene.input().groundMask;
  Points places;
  Array<Vec3> position;
  Array<Vec3> normal;
  Array<std::uint32_t> face;
  Array<Vec2> uv;
  std::vector<PixelWork*> owners;
  for (PixelWork& w : work) {
    if (!w.hit.isHit() || !w.surfel.isGround) continue;
    const PictureInstance& in = scene.instance(w.hit.instance);
    const Surface& s = scene.shape(in.shape);
    position.push_back(w.surfel.position);
    normal.push_back(w.surfel.normal);
    face.push_back(w.hit.face);
    uv.push_back(s.uvAt(w.hit.face, w.hit.weights));
    owners.push_back(&w);
  }
  if (owners.empty()) return;
  places.count = owners.size();
  places.position = std::move(position);
  places.groundNormal = std::move(normal);
  places.groundFace = std::move(face);
  places.groundUv = std::move(uv);
  Array<float> value(places.count);
  mask->values(places, 0, places.count, value.data());
  for (std::size_t i = 0; i < owners.size(); ++i) {
    const Vec3 c = scaleColor(value[i]);
    owners[i]->surfel.color = {linearFromSrgb(c.r), linearFromSrgb(c.g), linearFromSrgb(c.b)};
  }
}

Seen shadePixel(const PictureScene& scene, const Shader& shader, const PixelWork& w, Dice& dice, float& distance) {
  const std::optional<float>& level = scene.input().waterLevel;
  float waterDistance = std::numeric_limits<float>::infinity();
  if (level && w.direction.y < -1e-5F && w.origin.y > *level) waterDistance = (*level - w.origin.y) / w.direction.y;
  if (shader.cut() && waterDistance < 5000 && !shader.isWaterAt(w.origin + waterDistance * w.direction))
    waterDistance = std::numeric_limits<float>::infinity();
  const bool isWater = waterDistance < w.hit.distance && waterDistance < 5000;
  Seen seen;
  if (!w.hit.isHit()) {
    seen = Seen(shader.background(w.direction));
  } else {
    seen = shader.lit(w.surfel, dice);
    if (level && w.surfel.isShore) seen = shader.wetted(w.surfel, w.direction, *level, seen);
    seen = Shader::ghosted(w.surfel, seen);
  }
  distance = std::min(w.hit.distance, isWater ? waterDistance : std::numeric_limits<float>::infinity());
  if (isWater) {
    const float depth = w.hit.isHit() ? *level - w.surfel.position.y : 100.0F;
    seen = shader.water(w.origin, w.direction, waterDistance, w.hit.isHit() ? seen : Seen(),
                        w.hit.isHit() ? w.hit.distance : waterDistance + 100, depth, w.surfel.isGround, dice);
  }
  if (level && w.origin.y < *level && !(shader.cut() && shader.cut()->hides(w.origin))) {
    const float out = w.direction.y > 1e-5F ? (*level - w.origin.y) / w.direction.y
                                            : std::numeric_limits<float>::infinity();
    return Shader::underWater(seen, w.direction, std::min({out, w.hit.distance, 1e4F}), out < w.hit.distance);
  }
  if (distance < std::numeric_limits<float>::infinity()) seen = shader.hazed(seen, w.direction, distance);
  shader.putHazeBefore(seen, w.origin, w.direction, distance, dice);
  return seen;
}

}  // namespace

bool renderPass(const PictureScene& scene, const Camera& camera, int step, Film& film, const Task& task,
                const std::optional<Cut>& cut, FilmGuide* guide) {
  const Shader shader(scene, camera, step > 1, cut);
  const int tilesX = (film.width + kTile - 1) / kTile;
  const int tilesY = (film.height + kTile - 1) / kTile;
  const bool startsAnew = step > 1 || film.samples == 0;
  Vec3 right;
  Vec3 up;
  Vec3 ahead;
  camera.basis(right, up, ahead);
  const float aspect = static_cast<float>(film.width) / static_cast<float>(film.height);
  const auto fw = static_cast<float>(film.width);
  const auto fh = static_cast<float>(film.height);
  std::atomic<bool> isWhole{true};
  parallelPieces(task, static_cast<std::size_t>(tilesX * tilesY), 1, [&](std::size_t tile, std::size_t) {
    const int x0 = static_cast<int>(tile) % tilesX * kTile;
    const int y0 = static_cast<int>(tile) / tilesX * kTile;
    std::vector<PixelWork> work;
    for (int y = y0; y < std::min(y0 + kTile, film.height); y += step)
      for (int x = x0; x < std::min(x0 + kTile, film.width); x += step) {
        Dice dice(x, y, film.samples * 2);
        const float jx = step > 1 ? 0.5F * static_cast<float>(step) : dice.next();
        const float jy = step > 1 ? 0.5F * static_cast<float>(step) : dice.next();
        PixelWork w{
            x,          y,
            camera.eye, camera.direction((static_cast<float>(x) + jx) / fw, (static_cast<float>(y) + jy) / fh, aspect),
            {},         {}};
        if (camera.lens.radius > 0 && step == 1) {
          const Vec3 sharp = camera.eye + w.direction * (camera.lens.focus / glm::dot(w.direction, ahead));
          const float r = camera.lens.radius * std::sqrt(dice.next());
          const float turn = 2 * kPi * dice.next();
          w.origin += r * (std::cos(turn) * right + std::sin(turn) * up);
          w.direction = directionOr(sharp - w.origin, w.direction);
        }
        w.hit = scene.first(w.origin, w.direction, shader.cut());
        if (w.hit.isHit()) w.surfel = shader.surfel(w.origin, w.direction, w.hit);
        work.push_back(w);
      }
    if (task.isCancelled()) {
      isWhole = false;
      return;
    }
    if (scene.input().groundMask) paintMask(scene, work);
    for (PixelWork& w : work) {
      Dice dice(w.x, w.y, film.samples * 2 + 1);
      float distance = 0;
      const Seen seen = shadePixel(scene, shader, w, dice, distance);
      const Vec3& c = seen.color;
      if (guide && step == 1)
        guide->add(film.at(w.x, w.y), startsAnew, seen.light, seen.share, w.hit.isHit() ? w.surfel.normal : Vec3(0),
                   w.hit.isHit() ? w.hit.distance : 0);
      for (int y = w.y; y < std::min(w.y + step, film.height); ++y)
        for (int x = w.x; x < std::min(w.x + step, film.width); ++x) {
          const std::size_t i = film.at(x, y);
          film.sum[i] = startsAnew ? c : film.sum[i] + c;
          if (startsAnew) film.distance[i] = distance;
        }
    }
  });
  if (task.isCancelled() || !isWhole) return false;
  film.samples = step > 1 ? 0 : film.samples + 1;
  return true;
}

std::vector<Vec3> groupColors(std::size_t count) {
  std::vector<Vec3> out;
  for (std::size_t i = 0; i < count; ++i) {
    // HSV to RGB (Smith, "Color gamut transform pairs", SIGGRAPH 1978).
    const float hue = 0.55F + 0.381966F * static_cast<float>(i);
    const float value = std::array{0.80F, 0.58F, 0.95F}[i % 3];
    const float saturation = std::array{0.72F, 0.80F, 0.48F}[i % 3];
    Vec3 c;
    for (int k = 0; k < 3; ++k) {
      const float at = (hue + static_cast<float>(k) / 3 - std::floor(hue + static_cast<float>(k) / 3)) * 6;
      const float full = std::clamp(std::abs(at - 3) - 1, 0.0F, 1.0F);
      c[k] = value * (1 - saturation * (1 - full));
    }
    out.push_back(c);
  }
  return out;
}

void drawPoints(const Points& points, const Array<float>& value, const Camera& camera, float usualRadius,
                const Film& film, std::uint32_t* developed, const std::optional<Cut>& cut,
                const std::vector<Vec3>& palette, bool isTrueSize) {
  Vec3 right;
  Vec3 up;
  Vec3 ahead;
  camera.basis(right, up, ahead);
  struct Drawn {
    float depth;
    std::uint32_t index;
  };
  std::vector<Drawn> order;
  for (std::size_t i = 0; i < points.count; ++i) {
    if (cut && cut->hides(points.position[i])) continue;
    const Vec3 p = camera.projected(points.position[i], film.width, film.height);
    if (p.z > 0.01F && p.x > -8 && p.y > -8 && p.x < static_cast<float>(film.width) + 8 &&
        p.y < static_cast<float>(film.height) + 8)
      order.push_back({p.z, static_cast<std::uint32_t>(i)});
  }
  std::sort(order.begin(), order.end(),
            [](const Drawn& a, const Drawn& b) { return a.depth > b.depth; });  // far ones first
  const std::uint32_t ink = 0xff22302fU;
  const float perMeter = 0.5F * static_cast<float>(film.height) / std::tan(0.5F * radians(camera.fieldOfViewDeg));
  for (const Drawn& d : order) {
    const Vec3 place = points.position[d.index];
    const Vec3 p = camera.projected(place, film.width, film.height);
    const float distance = glm::distance(camera.eye, place);
    const float pixelRadius = !isTrueSize ? usualRadius
                                          : std::clamp(points.effectiveFootprint(d.index) * perMeter / p.z,
                                                       usualRadius / 3, 0.5F * static_cast<float>(film.height));
    // The disc as an ellipse: its axis along the normal is shortened by how much it faces the eye.
    const Vec3 n = points.orientation[d.index] * kUp;
    const Vec3 toEye = (camera.eye - place) / distance;
    const float facing = std::max(0.45F, std::abs(glm::dot(n, toEye)));
    Vec2 axis(glm::dot(n, right), -glm::dot(n, up));
    axis = glm::length(axis) > 1e-4F ? glm::normalize(axis) : Vec2(0, 1);
    std::uint32_t color = ink;
    if (!value.empty()) {
      const Vec3 c = 255.0F * (palette.empty()
                                   ? scaleColor(value[d.index])
                                   : palette[std::min(palette.size() - 1, static_cast<std::size_t>(value[d.index]))]);
      color = 0xff000000U | static_cast<std::uint32_t>(c.r) << 16 | static_cast<std::uint32_t>(c.g) << 8 |
              static_cast<std::uint32_t>(c.b);
    }
    const auto isSeen = [&](int x, int y) {
      if (x < 0 || y < 0 || x >= film.width || y >= film.height) return false;
      // Points lie on the ground, so what is a little in front of them is the ground itself.
      return film.distance[film.at(x, y)] >= distance * 0.985F - 0.05F;
    };
    // The front: a short line from the disc, as long as it looks across the picture.
    const Vec3 f = points.orientation[d.index] * Vec3(0, 0, 1);
    const Vec2 front(glm::dot(f, right), -glm::dot(f, up));
    const float reach = pixelRadius * 2.4F * glm::length(front);
    for (float along = 0; along < reach; along += 0.7F) {
      const Vec2 at = Vec2(p.x, p.y) + glm::normalize(front) * along;
      const int x = static_cast<int>(at.x);
      const int y = static_cast<int>(at.y);
      if (isSeen(x, y)) developed[film.at(x, y)] = color;
    }
    const int r = static_cast<int>(pixelRadius) + 1;
    for (int dy = -r; dy <= r; ++dy)
      for (int dx = -r; dx <= r; ++dx) {
        const int x = static_cast<int>(p.x) + dx;
        const int y = static_cast<int>(p.y) + dy;
        const Vec2 q(static_cast<float>(dx), static_cast<float>(dy));
        const float along = glm::dot(q, axis) / facing;
        const float across = q.x * axis.y - q.y * axis.x;
        const float radius = std::sqrt(along * along + across * across);
        if (radius <= pixelRadius && isSeen(x, y)) developed[film.at(x, y)] = color;
      }
  }
}

std::optional<Film> tracedFilm(const PictureScene& scene, const Camera& camera, int width, int height, int samples,
                               const Task& task, const std::optional<Cut>& cut, float clean) {
  Film film(width, height);
  FilmGuide guide(clean > 0 ? film : Film());
  while (film.samples < samples) {
    if (!renderPass(scene, camera, 1, film, task, cut, clean > 0 ? &guide : nullptr)) return std::nullopt;
    task.report(static_cast<float>(film.samples) / static_cast<float>(samples));
  }
  return cleaned(film, guide, camera, clean, task);
}

Array<std::uint32_t> renderPicture(const PictureScene& scene, const Camera& camera, int width, int height, int samples,
                                   const Task& task, const std::optional<Cut>& cut) {
  Array<std::uint32_t> out(static_cast<std::size_t>(width) * static_cast<std::size_t>(height));
  if (const auto film = tracedFilm(scene, camera, width, height, samples, task, cut)) film->develop(out.data());
  return out;
}

Result<void> writePng(const std::string& path, const Array<std::uint32_t>& pixels, int width, int height) {
  std::vector<std::uint8_t> rgb;
  rgb.reserve(pixels.size() * 3);
  for (const std::uint32_t p : pixels)
    rgb.insert(rgb.end(),
               {static_cast<std::uint8_t>(p >> 16), static_cast<std::uint8_t>(p >> 8), static_cast<std::uint8_t>(p)});
  png_image image{};
  image.version = PNG_IMAGE_VERSION;
  image.width = static_cast<png_uint_32>(width);
  image.height = static_cast<png_uint_32>(height);
  image.format = PNG_FORMAT_RGB;
  png_alloc_size_t size = PNG_IMAGE_PNG_SIZE_MAX(image);
  std::vector<std::uint8_t> file(size);
  if (!png_image_write_to_memory(&image, file.data(), &size, 0, rgb.data(), 0, nullptr))
    return fail(ProblemCode::WriteFailed, fmt::format("could not be made: {}", image.message), {}, path);
  SafeFile out(path);
  out.write(file.data(), size);
  return out.commit();
}

SurfacePtr frontArrowOf(const Box3& box) {
  const float length = 0.22F * std::max({box.extent().x, box.extent().z, 0.35F * box.extent().y, 0.01F});
  const float y = box.min.y + 0.002F * box.extent().y;
  const Vec3 tail(0, y, box.max.z + 0.25F * length);
  Surface s;
  s.name = "front";
  const auto corner = [&](float across, float along) {
    s.positions.edit().push_back(tail + length * Vec3(across, 0, along));
  };
  corner(-0.12F, 0);
  corner(-0.12F, 0.55F);
  corner(0.12F, 0.55F);
  corner(0.12F, 0);
  corner(-0.38F, 0.5F);
  corner(0, 1);
  corner(0.38F, 0.5F);
  s.triangles = {UVec3(0, 1, 2), UVec3(0, 2, 3), UVec3(4, 5, 6)};
  computeSmoothNormals(s);
  Material ink;
  ink.baseColor = {0.02F, 0.09F, 0.14F, 1};
  ink.isTwoSided = true;
  s.materials = {ink};
  return std::make_shared<const Surface>(std::move(s));
}

Array<std::uint32_t> renderThumbnail(const PropPtr& prop, int width, int height, const Vec3& backgroundSrgb,
                                     const Task& task) {
  PictureInput input;
  const Box3 box = prop->surface->bounds();
  const SurfacePtr arrow = frontArrowOf(box);
  input.grounds = {prop->surface, arrow};
  input.light.hasSky = false;
  input.light.background = backgroundSrgb;
  input.light.sunHeadingDeg = 120;
  input.light.sunHeightDeg = 45;
  const auto scene = PictureScene::build(std::move(input), task);
  if (!scene) return {};
  Camera camera;
  camera.eye = Vec3(0.75F, 0.5F, 1);
  camera.fieldOfViewDeg = 28;
  Box3 seen = box;
  seen.add(arrow->bounds());
  camera = cameraFitting(seen, camera);
  // Few samples, cleaned: pictures of a Kit of dozens are there soon, on a machine that has other things to do.
  constexpr int kSamples = 4;
  Film film(width, height);
  FilmGuide guide(film);
  while (film.samples < kSamples)
    if (!renderPass(**scene, camera, 1, film, task, {}, &guide)) return {};
  const auto clean = cleaned(film, guide, camera, 0.8F, task);
  if (!clean) return {};
  Array<std::uint32_t> out(static_cast<std::size_t>(width) * static_cast<std::size_t>(height));
  clean->develop(out.data());
  return out;
}

}  // namespace arvesk
