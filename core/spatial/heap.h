// How high things lie in each column, roughly: where something that comes down would roll to.
#pragma once

#include "core/spatial/placed_mesh.h"

#include <functional>
#include <optional>
#include <unordered_map>

namespace arvesk {

class Heap {
 public:
  /// `cell`: edge of the columns, m. `groundAt`: its height at x, z; none where there is none.
  Heap(double cell, std::function<std::optional<double>(double x, double z)> groundAt)
      : m_cell(cell), m_groundAt(std::move(groundAt)) {}

  void add(const PlacedMesh& mesh, double lift);
  /// Where something that is `radius` m wide and whose highest place lies at `top` rolls to: down, until no way around
  /// it is steeper than loose stones lie (30°). What begins higher than it does not count. m, x and z.
  DVec3 rolled(const DVec3& from, double radius, double top);

 private:
  struct Lying {
    double from;  // m: the lowest place of the whole thing
    double to;    // its highest in this column
  };
  std::uint64_t keyOf(double x, double z) const;
  double levelAt(double x, double z, double top);
  double levelAround(double x, double z, double radius, double top);

  double m_cell;
  std::function<std::optional<double>(double, double)> m_groundAt;
  std::unordered_map<std::uint64_t, std::vector<Lying>> m_lying;
  std::unordered_map<std::uint64_t, double> m_ground;
};

}  // namespace arvesk
