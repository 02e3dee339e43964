// Mist: points as a density.
#include "core/base/noise.h"
#include "core/base/sorting.h"
#include "core/nodes/ground/voxels.h"
#include "core/nodes/registry.h"
#include "core/props/coloring.h"
#include "core/props/quantities.h"

#include <algorithm>

namespace arvesk::nodes {
namespace {

enum class RadiusBy { Footprint, Number, Range, Mask };
struct Params {
  RadiusBy radiusBy = RadiusBy::Footprint;
  float times = 2;
  std::string number;
  Range radii{1, 2};
  float height = 100;
  float density = 0.3F;
  float softness = 100;
  float broken = 0;
  float featureSize = 2;
  std::string color = "#ffffff";
  float edge = 5;
  float voxelSize = 0.25F;
};

/// The radius of every point, m; 0 where it has none.
Result<Array<float>> radiiOf(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  Array<float> out(points.count);
  const auto between = [&](float share) { return p.radii.from + (p.radii.to - p.radii.from) * share; };
  switch (p.radiusBy) {
    case RadiusBy::Footprint:
      for (std::size_t i = 0; i < out.size(); ++i) out[i] = p.times * points.footprint[i];
      break;
    case RadiusBy::Number:
      if (!readNumbers(points, p.number, 0, points.count, out.data()) && points.count > 0)
        return fail(ProblemCode::BadParameter, fmt::format("no point carries a number called \"{}\"", p.number),
                    fmt::format("They carry: {}", listOf(numberNames(points))));
      for (float& r : out) r *= p.times;
      break;
    case RadiusBy::Range: {
      const Draw draw = ctx.draw("radius");
      for (std::size_t i = 0; i < out.size(); ++i) out[i] = between(draw.unit(points.id[i]));
      break;
    }
    case RadiusBy::Mask: {
      const MaskPtr mask = in.mask("radius");
      if (!mask)
        return fail(ProblemCode::MissingInput, "the radius is to follow a mask, but none is connected",
                    "Connect a mask to Radius");
      out = maskValues(ctx.task, *mask, points);
      for (float& r : out) r = between(r);
      break;
    }
  }
  std::size_t odd = 0;
  for (float& r : out)
    if (!(r > 0) || !std::isfinite(r)) r = 0, ++odd;
  if (odd > 0)
    ctx.warn(fmt::format("{} of {} points have no radius and give no mist", odd, points.count),
             "Let the radius be above 0");
  return out;
}

/// Points as balls on the lattice, found by brick.
class Balls {
 public:
  Balls(const Points& points, const Array<float>& radius, const Params& p)
      : m_points(points), m_radius(radius), m_params(p) {}

  /// False when there are too many bricks.
  bool find() {
    const float edge = static_cast<float>(Density::kEdge) * m_params.voxelSize;
    constexpr std::size_t kMostPairs = 60'000'000;
    for (std::size_t i = 0; i < m_points.count; ++i) {
      if ((i & 0xffU) == 0) endIfStopped();
      if (m_radius[i] == 0) continue;
      const Vec3 reach(m_radius[i], heightOf(i), m_radius[i]);
      const Vec3 low = glm::floor((m_points.position[i] - reach) / edge);
      const Vec3 high = glm::floor((m_points.position[i] + reach) / edge);
      const Vec3 size = high - low + 1.0F;
      if (static_cast<double>(size.x) * static_cast<double>(size.y) * static_cast<double>(size.z) +
              static_cast<double>(m_pairs.size()) >
          static_cast<double>(kMostPairs))
        return false;
      const float far = std::max(glm::length(low), glm::length(high));
      if (!(far < 1e8F)) return false;
      for (int z = 0; z < static_cast<int>(size.z); ++z)
        for (int y = 0; y < static_cast<int>(size.y); ++y)
          for (int x = 0; x < static_cast<int>(size.x); ++x)
            m_pairs.push_back({IVec3(low) + IVec3(x, y, z), static_cast<std::uint32_t>(i)});
    }
    sort();
    endIfStopped();
    for (std::size_t i = 0; i < m_pairs.size(); ++i)
      if (i == 0 || m_pairs[i].brick != m_pairs[i - 1].brick) {
        m_places.push_back(m_pairs[i].brick);
        m_first.push_back(i);
      }
    m_first.push_back(m_pairs.size());
    return m_places.size() <= Density::kMostBricks;
  }
  const std::vector<IVec3>& places() const { return m_places; }

  /// How full a brick's places are, 0…1; false when all are empty. What several balls leave free, all must leave free.
  bool fill(const IVec3& first, float* out) const {
    const IVec3 brick = first / Density::kEdge;
    const auto it = std::lower_bound(m_places.begin(), m_places.end(), brick, &isBefore);
    const auto at = static_cast<std::size_t>(it - m_places.begin());
    std::fill(out, out + Density::kPerBrick, 1.0F);
    bool isAny = false;
    for (std::size_t k = m_first[at]; k < m_first[at + 1]; ++k) isAny = add(m_pairs[k].point, first, out) || isAny;
    for (std::size_t i = 0; i < Density::kPerBrick; ++i) out[i] = 1 - out[i];
    return isAny;
  }

 private:
  struct Pair {
    IVec3 brick;
    std::uint32_t point;
  };
  static bool isBefore(const IVec3& a, const IVec3& b) {
    return a.z != b.z ? a.z < b.z : a.y != b.y ? a.y < b.y : a.x < b.x;
  }
  void sort() {
    sortLarge(m_pairs, [](const Pair& a, const Pair& b) {
      return a.brick != b.brick ? isBefore(a.brick, b.brick) : a.point < b.point;
    });
  }
  float heightOf(std::size_t i) const { return m_radius[i] * m_params.height / 100; }

  bool add(std::uint32_t i, const IVec3& first, float* left) const {
    const Vec3 reach(m_radius[i], heightOf(i), m_radius[i]);
    const float voxel = m_params.voxelSize;
    const Vec3 middle = m_points.position[i] / voxel - Vec3(first);  // in the brick's own numbers
    const Vec3 half = reach / voxel;
    const IVec3 from = glm::max(IVec3(glm::ceil(middle - half)), IVec3(0));
    const IVec3 to = glm::min(IVec3(glm::floor(middle + half)), IVec3(Density::kEdge));
    const float soft = std::max(m_params.softness / 100, 1e-3F);
    bool isAny = false;
    for (int z = from.z; z <= to.z; ++z)
      for (int y = from.y; y <= to.y; ++y)
        for (int x = from.x; x <= to.x; ++x) {
          const Vec3 off = (Vec3(IVec3(x, y, z)) - middle) / half;
          const float far = glm::dot(off, off);
          if (far >= 1) continue;
          const float t = std::min(1.0F, (1 - std::sqrt(far)) / soft);
          left[(z * Density::kSide + y) * Density::kSide + x] *= 1 - t * t * (3 - 2 * t);
          isAny = true;
        }
    return isAny;
  }

  const Points& m_points;
  const Array<float>& m_radius;
  const Params& m_params;
  Array<Pair> m_pairs;
  std::vector<IVec3> m_places;
  std::vector<std::size_t> m_first;
};

/// What noise leaves of a brick.
void breakUp(const NoiseSettings& noise, float share, const IVec3& first, float voxel, float* values) {
  std::array<float, Density::kPerBrick> x;
  std::array<float, Density::kPerBrick> y;
  std::array<float, Density::kPerBrick> z;
  std::array<float, Density::kPerBrick> out;
  for (int i = 0; i < static_cast<int>(Density::kPerBrick); ++i) {
    const IVec3 own(i % Density::kSide, i / Density::kSide % Density::kSide, i / (Density::kSide * Density::kSide));
    const Vec3 p = voxel * Vec3(first + own);
    const auto k = static_cast<std::size_t>(i);
    x[k] = p.x;
    y[k] = p.y;
    z[k] = p.z;
  }
  noiseValues(noise, x.data(), y.data(), z.data(), out.size(), out.data());
  const Band band{0.35F, 0.65F, 1, 1};
  for (std::size_t i = 0; i < out.size(); ++i) values[i] *= 1 - share * (1 - band.weight(out[i]));
}

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  const auto radius = radiiOf(ctx, in, p);
  if (!radius) return Failure(radius.error());
  if (ctx.task.isCancelled()) return Failure(cancelled());
  std::size_t small = 0;
  for (const float r : *radius) small += r > 0 && std::min(r, r * p.height / 100) < 1.5F * p.voxelSize;
  if (small > 0)
    ctx.warn(fmt::format("{} of {} points reach less than 1.5 voxels and are held badly", small, points.count),
             "Lower the voxel size or let them reach farther");
  const auto color = colorFromHex(p.color);
  if (!color) return fail(ProblemCode::BadParameter, fmt::format("\"{}\" is not a color", p.color), "Write #rrggbb");
  Balls balls(points, *radius, p);
  if (!balls.find())
    return fail(ProblemCode::TooMany,
                fmt::format("would need over {} million voxels of {:g} m",
                            Density::kMostBricks * std::size_t{512} / 1'000'000, p.voxelSize),
                "Raise the voxel size");
  NoiseSettings noise;
  noise.size = p.featureSize;
  noise.octaves = 4;
  noise.contrast = 1.5F;
  noise.seed = static_cast<std::uint32_t>(ctx.draw("noise").bits(0));
  const auto fill = [&](const IVec3& first, float* values) {
    if (!balls.fill(first, values)) return false;
    if (p.broken > 0) breakUp(noise, p.broken / 100, first, p.voxelSize, values);
    for (std::size_t i = 0; i < Density::kPerBrick; ++i) values[i] *= p.density;
    return true;
  };
  auto density = Density::filled(Density::Lattice::ofSize(p.voxelSize), balls.places(), fill,
                                 {p.density * p.edge / 100, *color}, ctx.task);
  if (!density) return Failure(density.error());
  VolumePtr volume = makeDense(std::move(*density), {});
  if (volume->bounds().isEmpty())
    ctx.warn("there is no mist", points.count == 0 ? "No point comes in" : "Let the points reach farther");
  ctx.say(voxelWords(*volume));
  return Outputs{std::move(volume)};
}

std::string sentence(const Params& p) {
  std::string text = fmt::format("Mist · {:g} per m", p.density);
  switch (p.radiusBy) {
    case RadiusBy::Footprint: return text + fmt::format(" · {:g} footprints", p.times);
    case RadiusBy::Number: return text + fmt::format(" · {:g} × {}", p.times, p.number.empty() ? "?" : p.number);
    case RadiusBy::Range:
    case RadiusBy::Mask: return text + fmt::format(" · {:g} to {:g} m", p.radii.from, p.radii.to);
  }
  return text;
}

}  // namespace

const NodeKind& mist() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "mist";
    k.family = Family::Ground;
    k.label = ARVESK_TEXT("node", "Mist");
    k.help = ARVESK_TEXT(
        "node",
        "Fog, foam, dust or spray of points, as a volume that is a density: every point gives a soft ball of it, and "
        "where balls overlap it gets no denser than asked. Site shows it as lit haze with its shadow when it is in "
        "Site or in an Output; export writes it as VDB. Its voxels lie on a lattice of the world, so that what changes "
        "somewhere changes nothing elsewhere.");
    k.glyph = "mist";
    k.synonyms = {"fog", "cloud", "haze", "smoke", "spray", "dust", "density", "volume", "foam"};
    InputSpec from = pointsInput();
    from.help = ARVESK_TEXT("node", "What the mist is made of.");
    from.isPerPoint = false;
    k.inputs = {from,
                {"radius", ValueType::Mask, ARVESK_TEXT("node", "Radius"),
                 ARVESK_TEXT("node", "0 gives the first, 1 the second of the two radii."), true, false}};
    k.outputs = {volumeOutput()};
    k.params = {
        param("radius_by", &Params::radiusBy, ARVESK_TEXT("node", "Radius by"),
              ARVESK_TEXT("node",
                          "The points' footprints, a number that they carry, anything between two radii at random, or "
                          "between two by the mask at Radius."),
              {{"footprint", ARVESK_TEXT("node", "Footprint")},
               {"number", ARVESK_TEXT("node", "Number")},
               {"range", ARVESK_TEXT("node", "Range")},
               {"mask", ARVESK_TEXT("node", "Mask")}}),
        param("number", &Params::number, ARVESK_TEXT("node", "Number"),
              ARVESK_TEXT("node", "Name of a number that the points carry, m."))
            .shown("radius_by", {"number"}),
        param("times", &Params::times, ARVESK_TEXT("node", "Times"),
              ARVESK_TEXT("node", "How many footprints, or times that number, it reaches."))
            .hard(0, 1e4)
            .usual(0.5, 10, 0.1)
            .shown("radius_by", {"footprint", "number"}),
        param("radii", &Params::radii, ARVESK_TEXT("node", "Radii"), ARVESK_TEXT("node", "Least and largest radius."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0.1, 10, 0.1)
            .shown("radius_by", {"range", "mask"}),
        param("height", &Params::height, ARVESK_TEXT("node", "Height"),
              ARVESK_TEXT("node", "How far it reaches up and down, as a share of the radius; low for banks of fog."))
            .in(Unit::Percent)
            .hard(1, 1000)
            .usual(10, 200, 5),
        param("density", &Params::density, ARVESK_TEXT("node", "Density"),
              ARVESK_TEXT("node", "Where it is full: at 1 per m, a meter of it lets 37 % of the light through."))
            .in(Unit::PerMeter)
            .hard(1e-5, 1e4)
            .usual(0.01, 2, 0.01),
        param("softness", &Params::softness, ARVESK_TEXT("node", "Softness"),
              ARVESK_TEXT("node", "The outer share of the radius over which it fades."))
            .in(Unit::Percent)
            .hard(0, 100)
            .usual(0, 100, 5),
        param("broken", &Params::broken, ARVESK_TEXT("node", "Broken up"),
              ARVESK_TEXT("node", "How much of it noise takes away; at 100 % there are holes."))
            .in(Unit::Percent)
            .hard(0, 100)
            .usual(0, 100, 5),
        param("feature_size", &Params::featureSize, ARVESK_TEXT("node", "Feature size"),
              ARVESK_TEXT("node", "How large the shreds are that noise makes."))
            .in(Unit::Meter)
            .hard(0.001, 1e4)
            .usual(0.2, 20, 0.1),
        param("color", &Params::color, ARVESK_TEXT("node", "Color"),
              ARVESK_TEXT("node", "Of the light that it sends on, as #rrggbb."))
            .checked([](const std::string& text) {
              return colorFromHex(text) ? std::string() : std::string("is not a color such as #ffffff");
            })
            .written(TextForm::Color),
        param("edge", &Params::edge, ARVESK_TEXT("node", "Inside from"),
              ARVESK_TEXT("node",
                          "Share of the density that counts as inside, for what asks for its skin, depth or inside."))
            .in(Unit::Percent)
            .hard(0.1, 99)
            .usual(1, 50, 1),
        voxelSizeParam("voxel_size", &Params::voxelSize),
    };
    k.params.back().help = ARVESK_TEXT("node", "How finely it is held; balls below 1.5 of them are held badly.");
    k.usesSeed = true;
    k.example.params = {{"times", 4.0}, {"density", 1.5}, {"broken", 60.0}, {"voxel_size", 0.12}};
    k.example.spacing = 2.6;
    reaches<Params>(k, [](const Params& p) {
      if (p.radiusBy == RadiusBy::Range || p.radiusBy == RadiusBy::Mask)
        return Reach::within(1.8 * static_cast<double>(std::max(p.radii.from, p.radii.to)) *
                             std::max(1.0, static_cast<double>(p.height) / 100));
      return Reach::whole(false);
    });
    putUnder(k.params, ARVESK_TEXT("node", "Breaking up"), {"broken", "feature_size"});
    putUnder(k.params, ARVESK_TEXT("node", "Edge and detail"), {"edge", "voxel_size"});
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
