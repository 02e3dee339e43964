#include "core/picture/guide.h"

#include <algorithm>
#include <utility>

namespace arvesk {
namespace {

/// Neighbors are 1, 2, 4 and 8 pixels away in turn.
constexpr int kRounds = 4;
constexpr std::array<float, 3> kSpline{0.375F, 0.25F, 0.0625F};

float luminanceOf(const Vec3& c) { return 0.2126F * c.r + 0.7152F * c.g + 0.0722F * c.b; }

/// e^−x for x ≥ 0, near enough for weights.
float fade(float x) {
  float t = std::max(0.0F, 1 - 0.0625F * x);
  t *= t;
  t *= t;
  t *= t;
  return t * t;
}

struct Pixel {
  Vec3 light{0};
  float variance = 0;  // of the luminance of its mean
};

/// What decides whether light may come from there; the same in each round.
struct Place {
  Vec3 normal{0};
  Vec3 position{0};
  float reach = 0;  // m that a pixel is wide there; 0 where nothing was met
};

class Cleaner {
 public:
  Cleaner(const Film& film, const FilmGuide& guide, const Camera& camera, const Task& task)
      : m_width(film.width), m_height(film.height), m_places(film.sum.size()), m_now(film.sum.size()), m_task(task) {
    const auto n = static_cast<float>(film.samples);
    const float aspect = static_cast<float>(m_width) / static_cast<float>(m_height);
    const float pixel = 2 * std::tan(0.5F * radians(camera.fieldOfViewDeg)) / static_cast<float>(m_height);
    rows([&](int y) {
      for (int x = 0; x < m_width; ++x) {
        const std::size_t i = film.at(x, y);
        if (guide.met[i] == 0) continue;
        const float distance = guide.distance[i] / guide.met[i];
        const Vec3 way = camera.direction((static_cast<float>(x) + 0.5F) / static_cast<float>(m_width),
                                          (static_cast<float>(y) + 0.5F) / static_cast<float>(m_height), aspect);
        m_places[i] = {guide.normal[i] / n, camera.eye + distance * way, distance * pixel};
        m_now[i].light = guide.light[i] / n;
        if (film.samples > 1) {
          const float mean = luminanceOf(m_now[i].light);
          m_now[i].variance = std::max(0.0F, guide.squares[i] / n - mean * mean) / (n - 1);
        }
      }
    });
    spreadVariances(film.samples);
  }

  Array<Pixel> light() {
    Array<Pixel> next(m_now.size());
    for (int round = 0; round < kRounds; ++round)
      for (const bool isAcross : {true, false}) {
        rows([&](int y) {
          for (int x = 0; x < m_width; ++x) next[at(x, y)] = gathered(x, y, isAcross, 1 << round);
        });
        std::swap(next, m_now);
      }
    return std::move(m_now);
  }

 private:
  std::size_t at(int x, int y) const {
    return static_cast<std::size_t>(y) * static_cast<std::size_t>(m_width) + static_cast<std::size_t>(x);
  }
  template <typename Row>
  void rows(Row&& row) {
    parallelPieces(m_task, static_cast<std::size_t>(m_height), 16, [&](std::size_t from, std::size_t to) {
      for (std::size_t y = from; y < to; ++y) row(static_cast<int>(y));
    });
  }

  /// The variance of few samples is itself a guess: what stands around has a say, and alone while there is one sample.
  void spreadVariances(int samples) {
    Array<float> spread(m_now.size());
    rows([&](int y) {
      for (int x = 0; x < m_width; ++x) {
        float own = 0;
        float sum = 0;
        float squares = 0;
        float count = 0;
        for (int v = std::max(0, y - 1); v <= std::min(m_height - 1, y + 1); ++v)
          for (int u = std::max(0, x - 1); u <= std::min(m_width - 1, x + 1); ++u) {
            const std::size_t i = at(u, v);
            if (m_places[i].reach <= 0) continue;
            const float l = luminanceOf(m_now[i].light);
            own += m_now[i].variance;
            sum += l;
            squares += l * l;
            ++count;
          }
        if (count == 0) continue;
        const float around = std::max(0.0F, squares / count - sum / count * (sum / count));
        spread[at(x, y)] = samples > 3 ? own / count : samples > 1 ? 0.5F * (own / count + around) : around;
      }
    });
    for (std::size_t i = 0; i < spread.size(); ++i) m_now[i].variance = spread[i];
  }

  Pixel gathered(int x, int y, bool isAcross, int step) const {
    const std::size_t here = at(x, y);
    const Place& p = m_places[here];
    if (p.reach <= 0) return m_now[here];
    const Pixel& own = m_now[here];
    const float brightness = luminanceOf(own.light);
    const float byBrightness = 1 / (3 * std::sqrt(own.variance) + 1e-3F);
    const float byPlane = 1 / (p.reach * static_cast<float>(step) * 1.5F + 1e-5F);
    Vec3 light = kSpline[0] * own.light;
    float variance = kSpline[0] * kSpline[0] * own.variance;
    float weights = kSpline[0];
    for (int k = -2; k <= 2; ++k) {
      if (k == 0) continue;
      const int u = isAcross ? x + k * step : x;
      const int v = isAcross ? y : y + k * step;
      if (u < 0 || v < 0 || u >= m_width || v >= m_height) continue;
      const std::size_t i = at(u, v);
      const Place& q = m_places[i];
      if (q.reach <= 0) continue;
      const Vec3 turned = q.normal - p.normal;
      const float apart = 16 * glm::dot(turned, turned) +
                          byPlane * std::abs(glm::dot(p.normal, q.position - p.position)) +
                          byBrightness * std::abs(luminanceOf(m_now[i].light) - brightness);
      if (apart >= 16) continue;
      const float w = kSpline[static_cast<std::size_t>(std::abs(k))] * fade(apart);
      light += w * m_now[i].light;
      variance += w * w * m_now[i].variance;
      weights += w;
    }
    return {light / weights, variance / (weights * weights)};
  }

  int m_width;
  int m_height;
  Array<Place> m_places;
  Array<Pixel> m_now;
  const Task& m_task;
};

}  // namespace

FilmGuide::FilmGuide(const Film& film)
    : light(film.sum.size()),
      share(film.sum.size()),
      normal(film.sum.size()),
      squares(film.sum.size()),
      distance(film.sum.size()),
      met(film.sum.size()) {}

void FilmGuide::add(std::size_t pixel, bool startsAnew, const Vec3& seenLight, const Vec3& seenShare,
                    const Vec3& seenNormal, float seenDistance) {
  if (startsAnew) {
    light[pixel] = share[pixel] = normal[pixel] = Vec3(0);
    squares[pixel] = distance[pixel] = 0;
    met[pixel] = 0;
  }
  const float brightness = luminanceOf(seenLight);
  light[pixel] += seenLight;
  share[pixel] += seenShare;
  normal[pixel] += seenNormal;
  squares[pixel] += brightness * brightness;
  distance[pixel] += seenDistance;
  if (seenDistance > 0) ++met[pixel];
}

std::optional<Film> cleaned(const Film& film, const FilmGuide& guide, const Camera& camera, float amount,
                            const Task& task) {
  if (amount <= 0 || film.samples == 0 || film.sum.empty()) return film;
  const Array<Pixel> light = Cleaner(film, guide, camera, task).light();
  if (task.isCancelled()) return std::nullopt;
  Film out = film;
  const auto n = static_cast<float>(film.samples);
  for (std::size_t i = 0; i < out.sum.size(); ++i)
    if (guide.met[i] > 0)
      out.sum[i] = glm::max(Vec3(0), out.sum[i] + amount * guide.share[i] * (light[i].light - guide.light[i] / n));
  return out;
}

}  // namespace arvesk
