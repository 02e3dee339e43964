#include "core/nodes/dress/break_cells.h"

#include "core/geometry/welding.h"
#include "core/spatial/body.h"
#include "core/spatial/surface_index.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

constexpr std::size_t kMostCells = 0xFFFF;

class Cells {
 public:
  Cells(const EvalContext& ctx, const PieceOwner& owner, const BreakParams& p, const Inputs& in, const Body& body)
      : m_ctx(ctx),
        m_owner(owner),
        m_p(p),
        m_in(in),
        m_body(body),
        m_draw(ctx.draw("cells")),
        m_own(owner.variant == 0 ? hashText(owner.of)
                                 : hashOf(hashText(owner.of), static_cast<std::uint64_t>(owner.variant))) {}

  /// They lie inside, where the mask lets them, or near the given points.
  std::vector<DVec3> drawn() const {
    const PointsPtr near = m_in.points("near");
    std::vector<DVec3> out(static_cast<std::size_t>(m_p.count));
    std::vector<std::uint64_t> open;  // cells without a place
    for (std::uint64_t k = 0; k < out.size(); ++k) {
      if (!near || near->count == 0 || unit(k, 0, 9) * 100 >= m_p.gather) {
        open.push_back(k);
        continue;
      }
      const auto chosen = std::min(near->count - 1,
                                   static_cast<std::size_t>(unit(k, 0, 8) * static_cast<float>(near->count)));
      const float up = 2 * unit(k, 0, 0) - 1;
      const float turn = 6.2831853F * unit(k, 0, 1);
      const float across = std::sqrt(std::max(0.0F, 1 - up * up));
      // Denser toward the middle: distances are even.
      const Vec3 at = near->position[chosen] +
                      m_p.reach * unit(k, 0, 2) * Vec3(across * std::cos(turn), up, across * std::sin(turn));
      out[k] = fromHome(at);
    }
    fill(out, 0, std::move(open), m_in.mask("where"));
    return out;
  }

  /// Small ones, each in the group of the nearest of `middles`, as seen along the shape.
  BreakCells madeUp(const std::vector<DVec3>& middles) const {
    BreakCells out;
    out.seeds.resize(static_cast<std::size_t>(m_p.cells));
    std::vector<std::uint64_t> open(out.seeds.size());
    // Far from the places' own draws.
    constexpr std::uint64_t kFirst = 1U << 20U;
    for (std::uint64_t k = 0; k < open.size(); ++k) open[k] = kFirst + k;
    fill(out.seeds, kFirst, std::move(open), nullptr);
    const CellShape shape = shapeOf(m_p);
    for (const DVec3& seed : out.seeds) {
      endIfStopped();
      std::uint32_t nearest = 0;
      double least = std::numeric_limits<double>::max();
      for (std::uint32_t m = 0; m < middles.size(); ++m) {
        const DVec3 d = shape.seen(middles[m] - seed);
        if (const double squared = glm::dot(d, d); squared < least) {
          least = squared;
          nearest = m;
        }
      }
      out.groups.of.push_back(nearest);
    }
    return out;
  }

  /// Two on both sides of each small part of the surfaces: between them the cut lies, and what no surface parts is one.
  Result<BreakCells> along(const Surface& cuts) const {
    Surface here = cuts;
    Array<Vec3> positions(cuts.positions.size());
    for (std::size_t v = 0; v < positions.size(); ++v) positions[v] = Vec3(fromHome(cuts.positions[v]));
    here.positions = std::move(positions);
    const std::vector<Surface> sheets = sheetsOf(here);
    std::vector<std::shared_ptr<const SurfaceIndex>> indices;
    for (const Surface& sheet : sheets) {
      auto index = SurfaceIndex::of(sheet);
      if (!index) return Failure(index.error());
      indices.push_back(std::move(*index));
    }
    BreakCells out;
    for (std::size_t s = 0; s < sheets.size(); ++s)
      for (std::size_t f = 0; f < sheets[s].faceCount(); ++f) {
        endIfStopped();
        if (!addAlong(sheets, indices, s, f, out.seeds))
          return fail(ProblemCode::TooMany, "the surfaces need more than 65,535 cells", "Raise the step");
      }
    for (std::size_t s = 0; s < sheets.size(); ++s) addBorder(sheets[s], s, out.seeds);
    // What no surface comes near is one.
    if (out.seeds.empty()) out.seeds.push_back(DVec3(m_body.bounds().center()));
    out.groups.isParted = [seeds = out.seeds, indices](std::uint32_t a, std::uint32_t b) {
      const Vec3 from(seeds[a]);
      const Vec3 way = Vec3(seeds[b]) - from;
      const float length = glm::length(way);
      return length > 0 && std::any_of(indices.begin(), indices.end(), [&](const auto& index) {
               return index->first(from, way / length, length).isHit();
             });
    };
    return out;
  }

 private:
  float unit(std::uint64_t k, std::uint64_t attempt, std::uint64_t part) const {
    return m_draw.unit(hashOf(m_own, k, attempt, part));
  }
  DVec3 fromHome(const Vec3& at) const {
    return DVec3(glm::conjugate(m_owner.home.turn) * (at - m_owner.home.position) / m_owner.home.size);
  }

  /// Places for the cells `open`, of which `first` is out[0].
  void fill(std::vector<DVec3>& out, std::uint64_t first, std::vector<std::uint64_t> open, const MaskPtr& where) const {
    constexpr std::uint64_t kTries = 64;  // of thin bodies most of the box is outside; then any place is as good
    const Box3& box = m_body.bounds();
    for (std::uint64_t attempt = 0; attempt < kTries && !open.empty(); ++attempt) {
      endIfStopped();
      Points places;
      Array<Vec3> position;
      Array<std::uint64_t> id;
      std::vector<std::uint8_t> isIn;
      for (const std::uint64_t k : open) {
        const Vec3 at = box.min + box.extent() * Vec3(unit(k, attempt, 0), unit(k, attempt, 1), unit(k, attempt, 2));
        isIn.push_back(m_body.isInside(at) ? 1 : 0);
        // Until one is inside, and then until the mask takes it, this is the best there is.
        if (isIn.back() != 0 || attempt == 0) out[k - first] = DVec3(at);
        position.push_back(m_owner.home.position + m_owner.home.turn * (m_owner.home.size * at));
        id.push_back(hashOf(m_own, k, attempt));
      }
      places.count = open.size();
      places.position = std::move(position);
      places.id = std::move(id);
      const Array<float> chance = where ? maskValues(m_ctx.task, *where, places) : Array<float>(open.size(), 1.0F);
      std::vector<std::uint64_t> still;
      for (std::size_t i = 0; i < open.size(); ++i)
        if (isIn[i] == 0 || unit(open[i], attempt, 3) >= chance[i]) still.push_back(open[i]);
      open = std::move(still);
    }
  }

  /// What hangs together of a surface, each by itself.
  static std::vector<Surface> sheetsOf(const Surface& cuts) {
    const Shells shells = shellsOf({std::make_shared<const Surface>(cuts)});
    std::vector<Array<UVec3>> faces(shells.list.size());
    for (std::size_t t = 0; t < shells.triangles.size(); ++t)
      faces[shells.shellOf[t]].push_back(cuts.triangles[shells.faceOf[t]]);
    std::vector<Surface> out;
    for (Array<UVec3>& of : faces) {
      Surface sheet;
      sheet.positions = cuts.positions;
      sheet.triangles = std::move(of);
      out.push_back(std::move(sheet));
    }
    return out;
  }

  /// False when there are too many.
  bool addAlong(const std::vector<Surface>& sheets, const std::vector<std::shared_ptr<const SurfaceIndex>>& indices,
                std::size_t sheet, std::size_t face, std::vector<DVec3>& out) const {
    struct Part {
      std::array<Vec3, 3> corner;
      std::uint64_t name;
    };
    const Surface& of = sheets[sheet];
    const UVec3& t = of.triangles[face];
    const Vec3 normal = of.faceNormal(face);
    Box3 room = m_body.bounds();
    room.min -= Vec3(m_p.step);
    room.max += Vec3(m_p.step);
    std::vector<Part> open{{{of.positions[t.x], of.positions[t.y], of.positions[t.z]}, hashOf(sheet, face)}};
    while (!open.empty()) {
      const Part now = open.back();
      open.pop_back();
      Box3 box;
      float longest = 0;
      for (std::size_t k = 0; k < 3; ++k) {
        box.add(now.corner[k]);
        longest = std::max(longest, glm::distance(now.corner[k], now.corner[(k + 1) % 3]));
      }
      if (!box.overlaps(room)) continue;
      if (longest > m_p.step) {
        const Vec3 a = (now.corner[0] + now.corner[1]) * 0.5F;
        const Vec3 b = (now.corner[1] + now.corner[2]) * 0.5F;
        const Vec3 c = (now.corner[2] + now.corner[0]) * 0.5F;
        open.push_back({{now.corner[0], a, c}, hashOf(now.name, 0)});
        open.push_back({{a, now.corner[1], b}, hashOf(now.name, 1)});
        open.push_back({{c, b, now.corner[2]}, hashOf(now.name, 2)});
        open.push_back({{a, b, c}, hashOf(now.name, 3)});
        continue;
      }
      // A little aside: cells in rank and file meet in corners that are hard to tell.
      const float u = (m_draw.unit(hashOf(now.name, 1)) - 0.5F) * 0.2F;
      const float v = (m_draw.unit(hashOf(now.name, 2)) - 0.5F) * 0.2F;
      const Vec3 at = (now.corner[0] + now.corner[1] + now.corner[2]) / 3.0F + u * (now.corner[1] - now.corner[0]) +
                      v * (now.corner[2] - now.corner[0]);
      // Where two surfaces cross, cells of the one would reach through the other: their neighbors carry on there.
      bool isByAnother = false;
      for (std::size_t s = 0; s < indices.size() && !isByAnother; ++s)
        isByAnother = s != sheet && indices[s]->nearest(at, 0.6F * m_p.step).isHit();
      if (isByAnother) continue;
      out.push_back(DVec3(at) + DVec3(normal) * (0.05 * static_cast<double>(m_p.step)));
      out.push_back(DVec3(at) - DVec3(normal) * (0.05 * static_cast<double>(m_p.step)));
      if (out.size() > kMostCells) return false;
    }
    return true;
  }

  /// Beyond the border of a sheet cells lie on both its sides: the cut ends there.
  void addBorder(const Surface& sheet, std::uint64_t name, std::vector<DVec3>& out) const {
    Box3 room = m_body.bounds();
    room.min -= Vec3(m_p.step);
    room.max += Vec3(m_p.step);
    const Array<TriangleEdge> sides = edgesByPlace(sheet, *weldedOf(sheet));
    for (std::size_t i = 0; i < sides.size(); ++i) {
      if ((i > 0 && sides[i - 1].places == sides[i].places) ||
          (i + 1 < sides.size() && sides[i + 1].places == sides[i].places))
        continue;
      const UVec3& t = sheet.triangles[sides[i].triangle];
      const auto k = static_cast<int>(sides[i].corner);
      const Vec3 from = sheet.positions[t[k]];
      const Vec3 way = sheet.positions[t[(k + 1) % 3]] - from;
      const Vec3 outward = directionOr(glm::cross(way, sheet.faceNormal(sides[i].triangle)), kUp);
      const auto steps = static_cast<int>(std::min(1e5F, std::ceil(glm::length(way) / m_p.step)));
      for (int s = 0; s < steps; ++s) {
        endIfStoppedAt(static_cast<std::size_t>(s));
        const float aside = 0.2F * (m_draw.unit(hashOf(name, i, static_cast<std::uint64_t>(s))) - 0.5F);
        const Vec3 at = from + way * ((static_cast<float>(s) + 0.5F + aside) / static_cast<float>(steps)) +
                        outward * (0.5F * m_p.step);
        if (room.holds(at)) out.push_back(DVec3(at));
      }
    }
  }

  const EvalContext& m_ctx;
  const PieceOwner& m_owner;
  const BreakParams& m_p;
  const Inputs& m_in;
  const Body& m_body;
  Draw m_draw;
  std::uint64_t m_own;
};

}  // namespace

CellShape shapeOf(const BreakParams& p) {
  CellShape shape;
  if (p.form == BreakForm::Surfaces) return shape;
  shape.size = DVec3(p.sized);
  if (p.form == BreakForm::Chunks) return shape;
  shape.along = DVec3(directionOr(p.along, kUp));
  shape.factor = static_cast<double>(p.form == BreakForm::Splinters ? p.stretch : 1 / p.stretch);
  return shape;
}

Result<BreakCells> breakCells(const EvalContext& ctx, const PieceOwner& owner, const BreakParams& p, const Inputs& in) {
  const auto body = Body::of({owner.surface}, ctx.task);
  if (!body) return Failure(body.error());
  const Cells cells(ctx, owner, p, in, **body);
  if (p.form == BreakForm::Surfaces) return cells.along(*in.surface("cuts"));
  std::vector<DVec3> middles = cells.drawn();
  if (p.cells > 0) return cells.madeUp(middles);
  return BreakCells{std::move(middles), {}};
}

}  // namespace arvesk::nodes
