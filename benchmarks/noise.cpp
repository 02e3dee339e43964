// Noise: 4 M values of the gradient noise in its vectorized form, against a scalar loop of the same function; bit-equal
// answers.
#include "core/base/noise.h"

#include "benchmarks/bench.h"

#include <cstring>

namespace arvesk::bench {

void addNoise() {
  struct Data {
    std::vector<float> x, y, z, out;
  };
  auto d = std::make_shared<Data>();
  const Points p = points(4'000'000, 5000, 0, 1);
  for (std::size_t i = 0; i < p.count; ++i) {
    d->x.push_back(p.position[i].x);
    d->y.push_back(p.footprint[i] * 100);
    d->z.push_back(p.position[i].z);
  }
  d->out.resize(p.count);
  const auto scalar = [d] {
    for (std::size_t i = 0; i < d->x.size(); ++i) d->out[i] = gradientNoiseScalar(d->x[i], d->y[i], d->z[i], 99);
    benchmark::ClobberMemory();
  };
  const auto vector = [d] {
    gradientNoise(d->x.data(), d->y.data(), d->z.data(), d->x.size(), 99, d->out.data());
    benchmark::ClobberMemory();
  };
  scalar();
  const std::vector<float> expected = d->out;
  vector();
  ARVESK_ASSERT(std::memcmp(expected.data(), d->out.data(), expected.size() * sizeof(float)) == 0,
                "both give the same bits");
  add({"Noise, 4 M values, one thread", "scalar loop of the same function", true, 4, vector, scalar});
}

}  // namespace arvesk::bench
