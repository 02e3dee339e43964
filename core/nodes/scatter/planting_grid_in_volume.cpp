// Planting grid in volume: points in layers and rows that fill a body, as stacked boxes do.
#include "core/nodes/registry.h"
#include "core/nodes/scatter/chance.h"
#include "core/nodes/scatter/draft_share.h"

#include <fmt/format.h>

#include <algorithm>
#include <unordered_set>

namespace arvesk::nodes {
namespace {

enum class Cells { Cubic, BodyCentered, ClosePacked };
enum class CountsBy { Middle, Share };
enum class Lattice { World, Corner, Body };
struct Params : DraftShare {
  Cells cells = Cells::Cubic;
  float spacing = 1;
  float turnDeg = 0;
  float jitter = 0;
  CountsBy countsBy = CountsBy::Middle;
  float share = 50;
  bool isShellOnly = false;
  Lattice lattice = Lattice::World;
  float footprint = 0.25F;
};

/// Places by column, layer and row, the nearest of which are `spacing` apart; boxes of size `cell` around them fill
/// space. Close-packed as in Conway and Sloane, "Sphere packings, lattices and groups", section 1.
struct Grid {
  Cells cells;
  DVec3 cell;  // m

  Grid(Cells c, double spacing) : cells(c) {
    switch (c) {
      case Cells::Cubic: cell = DVec3(spacing); break;
      case Cells::BodyCentered: {
        const double edge = 2 * spacing / std::sqrt(3.0);
        cell = {edge, 0.5 * edge, edge};
        break;
      }
      case Cells::ClosePacked: cell = spacing * DVec3(1, std::sqrt(2.0 / 3), std::sqrt(0.75)); break;
    }
  }
  DVec3 at(const IVec3& p) const {
    const double isOddLayer = p.y & 1;
    const double isOddRow = p.z & 1;
    DVec3 shift(0);
    if (cells == Cells::BodyCentered) shift = {0.5 * isOddLayer, 0, 0.5 * isOddLayer};
    if (cells == Cells::ClosePacked) shift = {0.5 * isOddLayer + 0.5 * isOddRow, 0, isOddLayer / 3};
    return cell * (DVec3(p) + 0.5 + shift);
  }
  /// Steps to the cells that touch the one at `p`.
  std::vector<IVec3> neighbors(const IVec3& p, double spacing) const {
    std::vector<IVec3> out;
    const double reach = spacing * (cells == Cells::BodyCentered ? 1.17 : 1.01);
    for (int y = -1; y <= 1; ++y)
      for (int z = -2; z <= 2; ++z)
        for (int x = -2; x <= 2; ++x) {
          const IVec3 step(x, y, z);
          if (step != IVec3(0) && glm::distance(at(p), at(p + step)) < reach) out.push_back(step);
        }
    return out;
  }
};

struct Found {
  IVec3 place{0};
  Vec3 position{0};
  std::uint64_t id = 0;
};

class Filler {
 public:
  Filler(const EvalContext& ctx, const Volume& world, const Params& p)
      : m_ctx(ctx),
        m_posed(p.lattice == Lattice::Body ? world.posed() : nullptr),
        m_volume(m_posed ? *m_posed->atRest : world),
        m_p(p),
        m_grid(p.cells, static_cast<double>(p.spacing)),
        m_frame(p.lattice == Lattice::Body ? m_volume.frame() : BodyFrame()),
        m_x(ctx.draw("jitter-x")),
        m_y(ctx.draw("jitter-y")),
        m_z(ctx.draw("jitter-z")) {
    const Box3 bounds = m_volume.bounds();
    if (p.lattice == Lattice::Corner && !bounds.isEmpty()) m_frame.origin = DVec3(bounds.min);
    m_frame.turn = m_frame.turn * glm::dmat3(glm::mat3_cast(turn()));
    if (bounds.isEmpty()) return;
    const Box3 own = m_frame.reversed().toWorld(DVec3(bounds.min), DVec3(bounds.max));
    // One more on every side: odd rows and layers are shifted.
    const DVec3 from = glm::floor(DVec3(own.min) / m_grid.cell) - 2.0;
    const DVec3 to = glm::floor(DVec3(own.max) / m_grid.cell) + 2.0;
    const DVec3 n = to - from + 1.0;
    m_candidates = n.x * n.y * n.z;
    const DVec3 far = glm::max(glm::abs(from), glm::abs(to));
    if (std::max({far.x, far.y, far.z}) > 1e9) {  // no whole number counts so far
      m_candidates = std::numeric_limits<double>::infinity();
      return;
    }
    m_from = IVec3(from);
    m_to = IVec3(to);
  }
  Quat turn() const { return glm::angleAxis(-radians(m_p.turnDeg), kUp); }
  Quat orientation() const { return glm::normalize(Quat(glm::quat_cast(glm::mat3(inWorld().turn)))); }
  Vec3 cell() const { return Vec3(m_grid.cell); }
  double candidates() const { return m_candidates; }

  /// Cells that count, layer by layer.
  std::vector<Found> run() const {
    std::vector<std::vector<Found>> rows(static_cast<std::size_t>(std::max(m_to.z - m_from.z + 1, 0)));
    parallelPieces(m_ctx.task, rows.size(), 1, [&](std::size_t begin, std::size_t end) {
      for (std::size_t row = begin; row < end; ++row)
        for (int y = m_from.y; y <= m_to.y && !m_ctx.task.isCancelled(); ++y)
          for (int x = m_from.x; x <= m_to.x; ++x) {
            const IVec3 place(x, y, m_from.z + static_cast<int>(row));
            if (!counts(place)) continue;
            const std::uint64_t id = m_ctx.idOf(static_cast<std::uint64_t>(place.x),
                                                static_cast<std::uint64_t>(place.y),
                                                static_cast<std::uint64_t>(place.z));
            const DVec3 shift = static_cast<double>(m_p.jitter / 100 * m_p.spacing) *
                                DVec3(m_x.unit(id) - 0.5F, m_y.unit(id) - 0.5F, m_z.unit(id) - 0.5F);
            rows[row].push_back({place, inWorld().toWorld(m_grid.at(place) + shift), id});
          }
    });
    std::vector<Found> out;
    for (const auto& row : rows) out.insert(out.end(), row.begin(), row.end());
    return out;
  }

  /// Which of `cells` have a cell on every side.
  Array<std::uint8_t> hidden(const std::vector<Found>& cells) const {
    const auto keyOf = [](const IVec3& p) {
      return hashOf(static_cast<std::uint64_t>(p.x), static_cast<std::uint64_t>(p.y), static_cast<std::uint64_t>(p.z));
    };
    std::unordered_set<std::uint64_t> all;
    for (const Found& f : cells) all.insert(keyOf(f.place));
    // Rows and layers alternate: four kinds of places.
    std::array<std::vector<IVec3>, 4> steps;
    for (int kind = 0; kind < 4; ++kind)
      steps[static_cast<std::size_t>(kind)] = m_grid.neighbors(IVec3(0, kind & 1, kind >> 1),
                                                               static_cast<double>(m_p.spacing));
    Array<std::uint8_t> out(cells.size());
    for (std::size_t i = 0; i < cells.size(); ++i) {
      const IVec3& p = cells[i].place;
      const auto& around = steps[static_cast<std::size_t>((p.y & 1) | (p.z & 1) << 1)];
      out[i] = std::all_of(around.begin(), around.end(), [&](const IVec3& s) { return all.contains(keyOf(p + s)); });
    }
    return out;
  }

 private:
  /// The lattice's.
  BodyFrame inWorld() const { return m_posed ? m_posed->frame.of(m_frame) : m_frame; }
  bool counts(const IVec3& place) const {
    const DVec3 middle = m_grid.at(place);
    if (m_p.countsBy == CountsBy::Middle) return m_volume.isInside(m_frame.toWorld(middle));
    constexpr int kEach = 4;  // places per axis
    int inside = 0;
    for (int i = 0; i < kEach * kEach * kEach; ++i)
      inside += m_volume.isInside(m_frame.toWorld(
          middle + m_grid.cell * ((DVec3(i % kEach, i / kEach % kEach, i / (kEach * kEach)) + 0.5) / 4.0 - 0.5)));
    return inside > 0 && static_cast<float>(inside) * 100 >= m_p.share * kEach * kEach * kEach;
  }

  const EvalContext& m_ctx;
  const Posed* m_posed;
  const Volume& m_volume;  // at rest, if it goes along with the body
  const Params& m_p;
  Grid m_grid;
  BodyFrame m_frame;
  Draw m_x, m_y, m_z;
  double m_candidates = 0;
  IVec3 m_from{0};
  IVec3 m_to{-1};
};

Points pointsOf(const std::vector<Found>& cells) {
  Points out;
  out.count = cells.size();
  Array<Vec3> position(out.count);
  Array<std::uint64_t> id(out.count);
  for (std::size_t i = 0; i < out.count; ++i) {
    position[i] = cells[i].position;
    id[i] = cells[i].id;
  }
  out.position = std::move(position);
  out.id = std::move(id);
  return out;
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const VolumePtr volume = in.volume();
  const Filler filler(ctx, *volume, p);
  if (auto ok = guardPoints(ctx, filler.candidates(), "Raise the spacing"); !ok) return Failure(ok.error());
  const auto depth = depthOf(volume, ctx.task);
  if (!depth) return Failure(cancelled());
  std::vector<Found> cells = filler.run();
  *ctx.candidates = cells.size();
  const auto keepOnly = [&](auto keeps) {
    std::vector<Found> kept;
    for (std::size_t i = 0; i < cells.size(); ++i)
      if (keeps(i)) kept.push_back(cells[i]);
    cells = std::move(kept);
  };
  const auto withDepth = [&](Points out) {
    Array<float> meters(out.count);
    Array<Vec3> outward(out.count);
    parallelPieces(ctx.task, out.count, 512, [&](std::size_t begin, std::size_t end) {
      for (std::size_t i = begin; i < end; ++i) {
        const Depth d = depth->at(out.position[i]);
        meters[i] = d.meters;
        outward[i] = d.outward;
      }
    });
    out.groundNormal = std::move(outward);
    out.attributes.insert_or_assign("depth", Column<float>(std::move(meters)));
    out.attributes.insert_or_assign("cell", Column<Vec3>(filler.cell()));
    out.orientation = Column<Quat>(filler.orientation());
    return out;
  };
  if (const MaskPtr where = in.mask("where")) {
    const Array<std::uint8_t> keeps = exposedBy(ctx, where, withDepth(pointsOf(cells)));
    keepOnly([&](std::size_t i) { return keeps[i] != 0; });
  }
  if (p.isShellOnly) {
    const Array<std::uint8_t> hidden = filler.hidden(cells);
    const std::size_t before = cells.size();
    keepOnly([&](std::size_t i) { return !hidden[i]; });
    ctx.say(fmt::format("{} hidden left out", before - cells.size()));
  }
  const DraftTest draft(ctx, p);
  keepOnly([&](std::size_t i) { return draft.holds(cells[i].id); });
  Points out = withDepth(pointsOf(cells));
  if (ctx.task.isCancelled()) return Failure(cancelled());
  out.draftLevel = draftLevels(p, out.id, out.count);
  out.footprint = Column<float>(p.footprint);
  return Outputs{std::make_shared<const Points>(std::move(out))};
}

std::string sentence(const Params& p) {
  constexpr std::array names{"cubic", "body-centered", "close-packed"};
  return fmt::format("{} · {:g} m apart{}", names[static_cast<std::size_t>(p.cells)], p.spacing,
                     p.isShellOnly ? " · shell" : "");
}

}  // namespace

const NodeKind& plantingGridInVolume() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "planting-grid-in-volume";
    k.family = Family::Scatter;
    k.label = ARVESK_TEXT("node", "Planting grid in volume");
    k.help = ARVESK_TEXT(
        "node",
        "Fills a volume with points in layers and rows: cubic, body-centered or close-packed, the "
        "nearest of them a spacing apart. Points carry the size of their cell as the attribute cell, "
        "so that props can fill it, their depth, and the way to the nearest skin as their ground's "
        "normal. Rows and layers count from the world's origin or the lowest corner, or go along with the body.");
    k.glyph = "planting-grid-in-volume";
    k.synonyms = {"stack", "boxes", "bricks", "lattice", "array", "voxels", "pile"};
    k.inputs = {volumeInput(ARVESK_TEXT("node", "What is filled.")), chanceWhereInput()};
    k.outputs = {pointsOutput()};
    k.params = {
        param("cells", &Params::cells, ARVESK_TEXT("node", "Cells"),
              ARVESK_TEXT("node",
                          "Cubic: one over the other. Body-centered: every layer in the gaps of the one below. "
                          "Close-packed: as dense as balls can lie."),
              {{"cubic", ARVESK_TEXT("node", "Cubic")},
               {"body_centered", ARVESK_TEXT("node", "Body-centered")},
               {"close_packed", ARVESK_TEXT("node", "Close-packed")}}),
        param("spacing", &Params::spacing, ARVESK_TEXT("node", "Spacing"),
              ARVESK_TEXT("node", "From each point to the nearest others."))
            .in(Unit::Meter)
            .hard(0.001, 1e4)
            .usual(0.05, 10, 0.05),
        param("turn", &Params::turnDeg, ARVESK_TEXT("node", "Turn"),
              ARVESK_TEXT("node", "Of the rows, clockwise from above."))
            .in(Unit::Degree)
            .hard(-360, 360)
            .usual(-180, 180, 1),
        param("jitter", &Params::jitter, ARVESK_TEXT("node", "Jitter"),
              ARVESK_TEXT("node", "How far each point may lie from its place, as a share of the spacing."))
            .in(Unit::Percent)
            .hard(0, 200)
            .usual(0, 100, 1),
        param("counts_by", &Params::countsBy, ARVESK_TEXT("node", "A cell counts by"),
              ARVESK_TEXT("node", "Its middle, or how much of it is inside."),
              {{"middle", ARVESK_TEXT("node", "Its middle")}, {"share", ARVESK_TEXT("node", "Share inside")}}),
        param("share", &Params::share, ARVESK_TEXT("node", "Share inside"),
              ARVESK_TEXT("node", "Least share of a cell; 100 % lets nothing poke out, a little fills to the rim."))
            .in(Unit::Percent)
            .hard(0, 100)
            .usual(0, 100, 1)
            .shown("counts_by", {"share"}),
        param("shell_only", &Params::isShellOnly, ARVESK_TEXT("node", "Shell only"),
              ARVESK_TEXT("node", "Leaves out cells that have others on every side; the card counts them.")),
        param(
            "lattice", &Params::lattice, ARVESK_TEXT("node", "Lattice of"),
            ARVESK_TEXT("node",
                        "The world. The lowest corner of what is filled, so that stacks begin at its foot and go along "
                        "when it is moved. Or the body, which also turns its points with it, on axes of its own."),
            {{"world", ARVESK_TEXT("node", "World")},
             {"corner", ARVESK_TEXT("node", "Lowest corner")},
             {"body", ARVESK_TEXT("node", "Body")}}),
        param("footprint", &Params::footprint, ARVESK_TEXT("node", "Footprint"),
              ARVESK_TEXT("node", "Radius that a point claims until it is given a prop."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0, 5, 0.05),
    };
    addDraftParams<Params>(k.params);
    k.usesSeed = true;
    k.example.params = {{"cells", std::string("close_packed")}, {"spacing", 1.2}};
    k.trial.params = {{"jitter", 60.0}};
    reaches<Params>(k, [](const Params& p) {
      return p.isShellOnly ? Reach::among(1.2 * static_cast<double>(p.spacing), 0, true) : Reach::none();
    });
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
