#include "core/base/task.h"
#include "core/geometry/clipping.h"
#include "core/geometry/face_cells.h"

#include <algorithm>
#include <vector>

namespace arvesk {
namespace {

struct Flat {
  DVec3 along, across, origin;
  std::vector<Polygon> triangles;
  DVec2 low{1e300};
  DVec2 high{-1e300};
};

Flat flatOf(const Surface& s, std::span<const std::uint32_t> triangles, const Vec3& along, const Vec3& across) {
  Flat f{DVec3(along), DVec3(across), DVec3(s.positions[s.triangles[triangles.front()].x]), {}};
  for (const std::uint32_t t : triangles) {
    Polygon& p = f.triangles.emplace_back();
    for (int k = 0; k < 3; ++k) {
      const DVec3 from = DVec3(s.positions[s.triangles[t][k]]) - f.origin;
      p.add({glm::dot(from, f.along), glm::dot(from, f.across)});
      f.low = glm::min(f.low, p.at[p.count - 1]);
      f.high = glm::max(f.high, p.at[p.count - 1]);
    }
  }
  return f;
}

FaceRectangle rectangleOf(const Flat& f, const DVec2& low, const DVec2& high) {
  const DVec2 middle = 0.5 * (low + high);
  return {Vec3(f.origin + f.along * middle.x + f.across * middle.y), static_cast<float>(high.x - low.x),
          static_cast<float>(high.y - low.y)};
}

constexpr double kRounding = 1e-5;  // of the extent

/// In order, those closer than rounding as one.
std::vector<double> tidied(std::vector<double> lines, double extent) {
  std::sort(lines.begin(), lines.end());
  std::vector<double> out;
  for (const double v : lines)
    if (out.empty() || v - out.back() > kRounding * extent) out.push_back(v);
  return out;
}

using Lines = std::array<std::vector<double>, 2>;

/// The largest rectangle of cells between the lines that are wholly covered.
std::pair<DVec2, DVec2> largestBetween(const Flat& f, const Lines& lines) {
  const std::size_t columns = lines[0].size() - 1;
  const std::size_t rows = lines[1].size() - 1;
  std::vector<double> area(columns * rows, 0.0);
  for (const Polygon& whole : f.triangles) {
    endIfStopped();
    double from = whole.at[0].y;
    double to = from;
    for (std::size_t i = 1; i < whole.count; ++i) {
      from = std::min(from, whole.at[i].y);
      to = std::max(to, whole.at[i].y);
    }
    const auto firstOf = [](const std::vector<double>& at, double v) {
      const auto it = std::upper_bound(at.begin(), at.end(), v);
      return it == at.begin() ? std::size_t{0} : static_cast<std::size_t>(it - at.begin()) - 1;
    };
    for (std::size_t r = firstOf(lines[1], from); r < rows && lines[1][r] < to; ++r) {
      const Polygon band = clipped(clipped(whole, 1, lines[1][r], 1), 1, lines[1][r + 1], -1);
      if (band.count < 3) continue;
      double left = band.at[0].x;
      double right = left;
      for (std::size_t i = 1; i < band.count; ++i) {
        left = std::min(left, band.at[i].x);
        right = std::max(right, band.at[i].x);
      }
      for (std::size_t c = firstOf(lines[0], left); c < columns && lines[0][c] < right; ++c)
        area[r * columns + c] += areaOf(clipped(clipped(band, 0, lines[0][c], 1), 0, lines[0][c + 1], -1));
    }
  }
  // What is missing at a rim may be rounding of the corners.
  const double rounding = kRounding * std::max(f.high.x - f.low.x, f.high.y - f.low.y);
  const auto isCovered = [&](std::size_t r, std::size_t c) {
    const double width = lines[0][c + 1] - lines[0][c];
    const double height = lines[1][r + 1] - lines[1][r];
    return area[r * columns + c] >= width * height - rounding * (width + height);
  };
  std::pair<DVec2, DVec2> best{DVec2(0), DVec2(0)};
  double most = 0;
  std::vector<std::uint8_t> isOpen(columns);
  for (std::size_t bottom = 0; bottom < rows; ++bottom) {
    std::fill(isOpen.begin(), isOpen.end(), std::uint8_t{1});
    for (std::size_t top = bottom; top < rows; ++top) {
      const double height = lines[1][top + 1] - lines[1][bottom];
      for (std::size_t c = 0; c < columns; ++c) isOpen[c] = isOpen[c] && isCovered(top, c);
      for (std::size_t c = 0; c < columns;) {
        if (!isOpen[c]) {
          ++c;
          continue;
        }
        const std::size_t begin = c;
        while (c < columns && isOpen[c]) ++c;
        const double covered = (lines[0][c] - lines[0][begin]) * height;
        // Of two that are as large, the first.
        if (covered > most * (1 + 1e-9)) {
          most = covered;
          best = {DVec2(lines[0][begin], lines[1][bottom]), DVec2(lines[0][c], lines[1][top + 1])};
        }
      }
    }
  }
  return best;
}

}  // namespace

FaceRectangle rectangleAround(const Surface& s, std::span<const std::uint32_t> triangles, const Vec3& along,
                              const Vec3& across) {
  const Flat f = flatOf(s, triangles, along, across);
  return rectangleOf(f, f.low, f.high);
}

FaceRectangle largestRectangle(const Surface& s, std::span<const std::uint32_t> triangles, const Vec3& along,
                               const Vec3& across) {
  const Flat f = flatOf(s, triangles, along, across);
  const DVec2 extent = f.high - f.low;
  constexpr int kLines = 32;
  constexpr std::size_t kMostCorners = 48;  // of more of them the even lines are near enough
  Lines corners;
  Lines lines;
  for (int a = 0; a < 2; ++a) {
    const auto axis = static_cast<std::size_t>(a);
    for (const Polygon& p : f.triangles)
      for (std::size_t i = 0; i < p.count; ++i) corners[axis].push_back(p.at[i][a]);
    corners[axis] = tidied(corners[axis], extent[a]);
    lines[axis] = corners[axis].size() <= kMostCorners ? corners[axis] : std::vector<double>();
    for (int i = 0; i <= kLines; ++i) lines[axis].push_back(f.low[a] + extent[a] * i / kLines);
    lines[axis] = tidied(lines[axis], extent[a]);
  }
  auto [low, high] = largestBetween(f, lines);
  if (low == high) return rectangleOf(f, 0.5 * (f.low + f.high), 0.5 * (f.low + f.high));
  // Once more, with lines that lie close about the sides of what was found.
  Lines finer;
  for (int a = 0; a < 2; ++a) {
    const auto axis = static_cast<std::size_t>(a);
    for (const double side : {low[a], high[a]})
      for (int i = -12; i <= 12; ++i) finer[axis].push_back(side + extent[a] / kLines * i / 12);
    if (corners[axis].size() <= kMostCorners)
      finer[axis].insert(finer[axis].end(), corners[axis].begin(), corners[axis].end());
    std::erase_if(finer[axis], [&](double v) { return v < f.low[a] || v > f.high[a]; });
    finer[axis] = tidied(finer[axis], extent[a]);
  }
  std::tie(low, high) = largestBetween(f, finer);
  return rectangleOf(f, low, high);
}

}  // namespace arvesk
