// Shift by noise: moves points along centered noise, so that rows and edges lose their straightness.
#include "core/base/noise.h"
#include "core/nodes/adjust/effect.h"
#include "core/nodes/registry.h"

#include <fmt/format.h>

namespace arvesk::nodes {
namespace {

struct Params {
  float noiseSize = 4;
  int octaves = 2;
  Vec3 strength{0.5F, 0, 0.5F};
  float amount = 100;
};

Result<Outputs> evaluate(const EvalContext& ctx, const Inputs& in, const Params& p) {
  const Points& points = *in.points();
  const Array<float> effect = effectOf(ctx, in.mask("where"), points, p.amount);
  Array<Vec3> position = points.position.copied(points.count);
  constexpr std::array purposes{"x", "y", "z"};
  parallelPieces(ctx.task, points.count, 8192, [&](std::size_t begin, std::size_t end) {
    const std::size_t n = end - begin;
    Array<float> x(n), y(n), z(n), value(n);
    for (std::size_t i = 0; i < n; ++i) {
      x[i] = points.position[begin + i].x;
      y[i] = points.position[begin + i].y;
      z[i] = points.position[begin + i].z;
    }
    for (int axis = 0; axis < 3; ++axis) {
      if (p.strength[axis] == 0) continue;
      NoiseSettings noise;
      noise.size = p.noiseSize;
      noise.octaves = p.octaves;
      noise.seed = static_cast<std::uint32_t>(ctx.draw(purposes[static_cast<std::size_t>(axis)]).bits(0));
      noiseValues(noise, x.data(), y.data(), z.data(), n, value.data());
      for (std::size_t i = 0; i < n; ++i)
        position[begin + i][axis] += (2 * value[i] - 1) * p.strength[axis] * effect[begin + i];
    }
  });
  if (ctx.task.isCancelled()) return Failure(cancelled());
  Points out = points;
  out.position = std::move(position);
  return Outputs{std::make_shared<const Points>(std::move(out))};
}

std::string sentence(const Params& p) {
  return fmt::format("Shift · up to {:g} m, waves of {:g} m", std::max({p.strength.x, p.strength.y, p.strength.z}),
                     p.noiseSize);
}

}  // namespace

const NodeKind& shiftByNoise() {
  static const NodeKind kind = [] {
    NodeKind k;
    k.id = "shift-by-noise";
    k.family = Family::Adjust;
    k.label = ARVESK_TEXT("node", "Shift by noise");
    k.help = ARVESK_TEXT("node",
                         "Moves points by centered noise of their place: neighbors move alike, and on the whole "
                         "nothing drifts away. The ground record stays as it was; Set down renews it.");
    k.glyph = "shift-by-noise";
    k.synonyms = {"displace", "warp", "distort", "jitter", "offset"};
    k.inputs = {pointsInput(), adjustWhereInput()};
    k.outputs = {pointsOutput()};
    k.params = {
        param("strength", &Params::strength, ARVESK_TEXT("node", "Strength"),
              ARVESK_TEXT("node", "Farthest move along each axis, to both sides."))
            .in(Unit::Meter)
            .hard(0, 1e4)
            .usual(0, 5, 0.05),
        param("noise_size", &Params::noiseSize, ARVESK_TEXT("node", "Size"),
              ARVESK_TEXT("node", "Size of the noise's largest waves."))
            .in(Unit::Meter)
            .hard(0.001, 1e5)
            .usual(0.1, 50, 0.1),
        param("octaves", &Params::octaves, ARVESK_TEXT("node", "Octaves"),
              ARVESK_TEXT("node", "Each adds waves half as large and half as strong."))
            .hard(1, 12)
            .usual(1, 8, 1),
        amountParam(&Params::amount),
    };
    k.usesSeed = true;
    k.example.params = {{"strength", std::vector<double>{1.5, 0, 1.5}}};
    k.example.spacing = 1.6;
    k.example.isSetDown = true;
    keepsSizes(k);
    carries<Params>(k, [](const Params& p) -> std::optional<Carries> {
      const double more = std::max(1.0, static_cast<double>(p.amount) / 100);
      return Carries{more * static_cast<double>(glm::length(Vec2(p.strength.x, p.strength.z))),
                     more * static_cast<double>(p.strength.y)};
    });
    return define<Params>(std::move(k), &evaluate, &sentence);
  }();
  return kind;
}

}  // namespace arvesk::nodes
