#include "core/geometry/face_cells.h"

#include "core/base/task.h"
#include "core/geometry/clipping.h"
#include "core/geometry/faces.h"

#include <algorithm>
#include <array>

namespace arvesk {
namespace {

/// A part laid into its plane, x along the rows and y across them, from its lowest corner on, and the cells over it.
struct Layout {
  DVec3 along, across, origin;
  DVec2 extent{0};
  double row = 1, pitch = 1, depth = 1, stagger = 0;
  std::size_t rows = 0, columns = 0;

  DVec2 flat(const Vec3& at) const {
    const DVec3 from = DVec3(at) - origin;
    return {glm::dot(from, along), glm::dot(from, across)};
  }
  /// Where the first cell of a row begins.
  double start(std::size_t k) const {
    const double shift = static_cast<double>(k) * stagger;
    return -(shift - std::floor(shift)) * pitch;
  }
};

Layout layoutOf(const Surface& s, std::span<const std::uint32_t> triangles, const Vec3& along, const Vec3& across,
                const CellRule& rule) {
  Layout l{DVec3(along), DVec3(across), DVec3(s.positions[s.triangles[triangles.front()].x])};
  DVec2 low(std::numeric_limits<double>::max());
  DVec2 high(std::numeric_limits<double>::lowest());
  for (const std::uint32_t t : triangles)
    for (int k = 0; k < 3; ++k) {
      const DVec2 at = l.flat(s.positions[s.triangles[t][k]]);
      low = glm::min(low, at);
      high = glm::max(high, at);
    }
  l.origin += l.along * low.x + l.across * low.y;
  l.extent = high - low;
  l.row = static_cast<double>(rule.row);
  l.pitch = static_cast<double>(rule.pitch);
  const auto overlap = static_cast<double>(rule.overlap);
  if (rule.isFitted) {
    l.row = l.extent.y / (std::max(1.0, std::round(l.extent.y / l.row - overlap)) + overlap);
    l.pitch = l.extent.x / std::max(1.0, std::round(l.extent.x / l.pitch));
  }
  l.depth = l.row * (1 + overlap);
  l.stagger = static_cast<double>(rule.stagger);
  // A millionth of a cell is rounding, not a row of its own.
  const auto whole = [](double v) { return static_cast<std::size_t>(std::max(1.0, std::ceil(v - 1e-6))); };
  l.rows = whole(l.extent.y / l.row);
  l.columns = whole(l.extent.x / l.pitch) + (rule.stagger != 0 ? 1 : 0);
  return l;
}

/// What is known of a cell.
struct Cell {
  double area = 0;
  double mostArea = 0;  // of one triangle in it
  DVec2 low{1e300};
  DVec2 high{-1e300};
  std::uint32_t triangle = 0;
  bool hasMiddle = false;
};

}  // namespace

double cellsInExtent(const Surface& s, std::span<const std::uint32_t> triangles, const Vec3& along, const Vec3& across,
                     const CellRule& rule) {
  const Layout l = layoutOf(s, triangles, along, across, rule);
  return static_cast<double>(l.rows) * static_cast<double>(l.columns);
}

Array<FaceCell> cellsOver(const Surface& s, std::span<const std::uint32_t> triangles, const Vec3& along,
                          const Vec3& across, const CellRule& rule) {
  const Layout l = layoutOf(s, triangles, along, across, rule);
  Array<Cell> cells;
  cells.assign(l.rows * l.columns, Cell{});
  // What only touches a cell has no area in it, whatever rounding says.
  const double nothing = 1e-7 * l.pitch * l.depth;
  for (const std::uint32_t t : triangles) {
    endIfStopped();
    Polygon whole;
    DVec2 low(1e300);
    DVec2 high(-1e300);
    for (int k = 0; k < 3; ++k) {
      const DVec2 at = l.flat(s.positions[s.triangles[t][k]]);
      whole.add(at);
      low = glm::min(low, at);
      high = glm::max(high, at);
    }
    const auto cellFrom = [](double v) { return static_cast<std::size_t>(std::max(0.0, std::floor(v))); };
    for (std::size_t k = cellFrom((low.y - l.depth) / l.row); k < l.rows && static_cast<double>(k) * l.row <= high.y;
         ++k) {
      const double bottom = static_cast<double>(k) * l.row;
      const Polygon band = clipped(clipped(whole, 1, bottom, 1), 1, bottom + l.depth, -1);
      if (band.count < 3) continue;
      double from = band.at[0].x;
      double to = from;
      for (std::size_t i = 1; i < band.count; ++i) {
        from = std::min(from, band.at[i].x);
        to = std::max(to, band.at[i].x);
      }
      const double start = l.start(k);
      for (std::size_t c = cellFrom((from - start) / l.pitch);
           c < l.columns && start + static_cast<double>(c) * l.pitch <= to; ++c) {
        const double left = start + static_cast<double>(c) * l.pitch;
        const Polygon in = clipped(clipped(band, 0, left, 1), 0, left + l.pitch, -1);
        const double area = areaOf(in);
        if (area <= nothing) continue;
        Cell& cell = cells[k * l.columns + c];
        cell.area += area;
        // What reaches in by less than a thousandth of the cell is rounding, or nothing that anybody would cut to.
        DVec2 pieceLow(1e300);
        DVec2 pieceHigh(-1e300);
        for (std::size_t i = 0; i < in.count; ++i) {
          pieceLow = glm::min(pieceLow, in.at[i]);
          pieceHigh = glm::max(pieceHigh, in.at[i]);
        }
        const DVec2 rim(1e-3 * l.pitch, 1e-3 * l.depth);
        if (pieceHigh.x > left + rim.x && pieceLow.x < left + l.pitch - rim.x && pieceHigh.y > bottom + rim.y &&
            pieceLow.y < bottom + l.depth - rim.y) {
          cell.low = glm::min(cell.low, pieceLow);
          cell.high = glm::max(cell.high, pieceHigh);
        }
        const DVec2 middle(left + 0.5 * l.pitch, bottom + 0.5 * l.depth);
        const auto side = [&](std::size_t i) {
          const DVec2 a = whole.at[(i + 1) % 3] - whole.at[i];
          const DVec2 b = middle - whole.at[i];
          return a.x * b.y - a.y * b.x;
        };
        const std::array<double, 3> sides{side(0), side(1), side(2)};
        const bool holds = std::all_of(sides.begin(), sides.end(), [](double v) { return v >= 0; }) ||
                           std::all_of(sides.begin(), sides.end(), [](double v) { return v <= 0; });
        if (holds && !cell.hasMiddle) {
          cell.hasMiddle = true;
          cell.triangle = t;
        } else if (!cell.hasMiddle && area > cell.mostArea) {
          cell.mostArea = area;
          cell.triangle = t;
        }
      }
    }
  }
  Array<FaceCell> out;
  std::int32_t lastRow = 0;
  for (std::size_t k = 0; k < l.rows; ++k) {
    endIfStopped();
    const std::size_t rowBegin = out.size();
    for (std::size_t c = 0; c < l.columns; ++c) {
      const Cell& cell = cells[k * l.columns + c];
      const double share = cell.area / (l.pitch * l.depth);
      if (share <= 0 || cell.low.x > cell.high.x) continue;
      const bool counts = rule.ends == CellEnds::Inside   ? share > 1 - 1e-4
                          : rule.ends == CellEnds::Middle ? cell.hasMiddle
                                                          : share >= static_cast<double>(rule.least) - 1e-6;
      if (!counts) continue;
      DVec2 low(l.start(k) + static_cast<double>(c) * l.pitch, static_cast<double>(k) * l.row);
      DVec2 high = low + DVec2(l.pitch, l.depth);
      if (rule.ends == CellEnds::Cut) {
        low = cell.low;
        high = cell.high;
      }
      FaceCell f;
      f.row = static_cast<std::int32_t>(k);
      f.column = static_cast<std::int32_t>(c);
      f.length = static_cast<float>(high.x - low.x);
      f.depth = static_cast<float>(high.y - low.y);
      f.triangle = cell.triangle;
      const DVec2 middle = 0.5 * (low + high);
      const Vec3 at(l.origin + l.along * middle.x + l.across * middle.y);
      const UVec3 v = s.triangles[f.triangle];
      // Off the part's mean plane and onto that of the triangle.
      const Vec3 normal = glm::cross(along, across);
      const Vec3 own = s.faceNormal(f.triangle);
      const float toPlane = glm::dot(s.positions[v.x] - at, own);
      const float cosine = glm::dot(own, normal);
      f.place = at + normal * (std::abs(cosine) > 0.05F ? toPlane / cosine : 0.0F);
      f.weights = closestWeights(f.place, s.positions[v.x], s.positions[v.y], s.positions[v.z]);
      out.push_back(f);
    }
    if (out.size() == rowBegin) continue;
    out[rowBegin].isFirst = true;
    out.back().isLast = true;
    lastRow = static_cast<std::int32_t>(k);
  }
  for (FaceCell& f : out) f.rowsAbove = lastRow - f.row;
  return out;
}

}  // namespace arvesk
