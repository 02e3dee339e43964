#include "core/picture/film.h"

#include "core/geometry/image.h"

#include <algorithm>

namespace arvesk {

void Camera::basis(Vec3& right, Vec3& up, Vec3& ahead) const {
  ahead = directionOr(target - eye, Vec3(0, 0, -1));
  const Vec3 side = std::abs(ahead.y) > 0.9999F ? Vec3(0, 0, -1) : kUp;
  right = glm::normalize(glm::cross(ahead, side));
  up = glm::cross(right, ahead);
}

Vec3 Camera::direction(float x, float y, float aspect) const {
  Vec3 right;
  Vec3 up;
  Vec3 ahead;
  basis(right, up, ahead);
  const float half = std::tan(0.5F * radians(fieldOfViewDeg));
  return glm::normalize(ahead + right * ((2 * x - 1) * half * aspect) + up * ((1 - 2 * y) * half));
}

Vec3 Camera::projected(const Vec3& world, int width, int height) const {
  Vec3 right;
  Vec3 up;
  Vec3 ahead;
  basis(right, up, ahead);
  const Vec3 d = world - eye;
  const float depth = glm::dot(d, ahead);
  const float half = std::tan(0.5F * radians(fieldOfViewDeg));
  const float scale = 0.5F * static_cast<float>(height) / (half * std::max(depth, 1e-6F));
  return {0.5F * static_cast<float>(width) + glm::dot(d, right) * scale,
          0.5F * static_cast<float>(height) - glm::dot(d, up) * scale, depth};
}

float Camera::radiusOfLens(float fNumber) const {
  const float focalLength = 0.012F / std::tan(0.5F * radians(fieldOfViewDeg));
  return 0.5F * focalLength / fNumber;
}

Camera cameraFitting(const Box3& box, const Camera& looking) {
  Camera camera = looking;
  const Vec3 ahead = directionOr(looking.target - looking.eye, glm::normalize(Vec3(-1, -0.6F, -1)));
  const float radius = std::max(0.05F, 0.5F * glm::length(box.extent()));
  camera.target = box.center();
  camera.eye = camera.target - ahead * (radius / std::sin(0.5F * radians(looking.fieldOfViewDeg)));
  return camera;
}

Film::Film(int w, int h) : width(w), height(h) {
  const std::size_t n = static_cast<std::size_t>(w) * static_cast<std::size_t>(h);
  sum.assign(n, Vec3(0));
  distance.assign(n, std::numeric_limits<float>::infinity());
}

Vec3 tonemapped(const Vec3& v) {
  Vec3 out;
  for (int i = 0; i < 3; ++i) {
    const float x = std::max(0.0F, v[i]) * 0.8F;
    out[i] = std::clamp((x * (2.51F * x + 0.03F)) / (x * (2.43F * x + 0.59F) + 0.14F), 0.0F, 1.0F);
  }
  return out;
}

Vec3 lightThatShows(const Vec3& srgb) {
  Vec3 out;
  for (int i = 0; i < 3; ++i) {  // by bisection, as the curve rises
    float low = 0;
    float high = 20;
    for (int k = 0; k < 40; ++k) {
      const float middle = 0.5F * (low + high);
      (srgbFromLinear(tonemapped(Vec3(middle)).x) < srgb[i] ? low : high) = middle;
    }
    out[i] = low;
  }
  return out;
}

void Film::develop(std::uint32_t* out) const {
  static const std::array<std::uint8_t, 4097> curve = [] {
    std::array<std::uint8_t, 4097> t{};
    for (std::size_t i = 0; i < t.size(); ++i)
      t[i] = static_cast<std::uint8_t>(std::lround(255 * srgbFromLinear(static_cast<float>(i) / 4096.0F)));
    return t;
  }();
  const float scale = samples > 0 ? 1.0F / static_cast<float>(samples) : 1.0F;
  for (std::size_t i = 0; i < sum.size(); ++i) {
    const Vec3 c = tonemapped(sum[i] * scale) * 4096.0F;
    out[i] = 0xff000000U | static_cast<std::uint32_t>(curve[static_cast<std::size_t>(c.r)]) << 16 |
             static_cast<std::uint32_t>(curve[static_cast<std::size_t>(c.g)]) << 8 |
             static_cast<std::uint32_t>(curve[static_cast<std::size_t>(c.b)]);
  }
}

Vec3 scaleColor(float value) {
  // Five stops from ink blue over sea green to sand; their CIE lightness rises evenly from 18 to 92.
  constexpr std::array<Vec3, 5> kStops{Vec3(0.086F, 0.176F, 0.271F), Vec3(0.118F, 0.353F, 0.463F),
                                       Vec3(0.286F, 0.545F, 0.522F), Vec3(0.620F, 0.722F, 0.541F),
                                       Vec3(0.965F, 0.910F, 0.722F)};
  const float at = std::clamp(value, 0.0F, 1.0F) * 4;
  const auto i = std::min<std::size_t>(3, static_cast<std::size_t>(at));
  return glm::mix(kStops[i], kStops[i + 1], at - static_cast<float>(i));
}

}  // namespace arvesk
