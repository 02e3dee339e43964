// Runs each pair back to back, five times, and prints the ratio of the medians.
#include "benchmarks/bench.h"

#include "core/base/noise.h"
#include "core/base/random.h"
#include "core/base/task.h"
#include "core/geometry/shapes.h"

#include <cstdio>
#include <map>

namespace arvesk::bench {
namespace {

std::vector<Pair>& pairs() {
  static std::vector<Pair> all;
  return all;
}

class Table : public benchmark::BenchmarkReporter {
 public:
  bool ReportContext(const Context&) override { return true; }
  void ReportRuns(const std::vector<Run>& runs) override {
    for (const Run& run : runs)
      if (run.aggregate_name == "median") m_median[run.run_name.function_name] = run.GetAdjustedRealTime();
  }
  void Finalize() override {
    std::printf("%-44s %-44s %10s %10s %8s  %s\n", "what", "beside", "ours ms", "other ms", "ratio", "wanted");
    for (const Pair& p : pairs()) {
      if (!m_median.contains(p.subject + "/ours") || !m_median.contains(p.subject + "/baseline")) continue;
      const double ours = m_median[p.subject + "/ours"];
      const double other = m_median[p.subject + "/baseline"];
      const double ratio = p.isFaster ? other / ours : ours / other;
      const bool isMet = p.isFaster ? ratio >= p.limit : ratio <= p.limit;
      std::printf("%-44s %-44s %10.1f %10.1f %7.2fx  %s %.2fx%s\n", p.subject.c_str(), p.baseline.c_str(), ours, other,
                  ratio, p.isFaster ? "at least" : "at most", p.limit, isMet ? "" : "  MISSED");
    }
  }

 private:
  std::map<std::string, double> m_median;
};

}  // namespace

void add(Pair pair) { pairs().push_back(std::move(pair)); }

SurfacePtr ground(int n, float extent) {
  Surface s = makePlane(extent, extent, n);
  for (Vec3& p : s.positions.edit())
    p.y = 3 * gradientNoiseScalar(p.x * 0.1F, 0.5F, p.z * 0.1F, 1) + 0.3F * gradientNoiseScalar(p.x, 0.5F, p.z, 2);
  computeSmoothNormals(s);
  return std::make_shared<const Surface>(std::move(s));
}

Points points(std::size_t count, float extent, float smallest, float largest) {
  const Draw x(3, 0, 0, "x");
  const Draw z(3, 0, 0, "z");
  const Draw r(3, 0, 0, "r");
  Points p;
  p.count = count;
  Array<Vec3> position(count);
  Array<float> footprint(count);
  Array<std::uint64_t> id(count);
  for (std::size_t i = 0; i < count; ++i) {
    id[i] = i;
    position[i] = {x.unit(i) * extent, 4, z.unit(i) * extent};
    footprint[i] = r.between(i, smallest, largest);
  }
  p.position = std::move(position);
  p.footprint = std::move(footprint);
  p.id = std::move(id);
  return p;
}

}  // namespace arvesk::bench

int main(int argc, char** argv) {
  using namespace arvesk::bench;
  benchmark::Initialize(&argc, argv);
  arvesk::setFloatingPointMode();
  addSow();
  addClearance();
  addSetDown();
  addNoise();
  addMasks();
  addPicture();
  addDressing();
  addEvaluation();
  addBody();
  addBreaking();
  addByHand();
  addCourses();
  addVolumes();
  addHaze();
  addTime();
#ifdef ARVESK_BENCH_WINDOW
  addPlaying();
#endif
  for (const Pair& p : pairs())
    for (const auto& [name, body] :
         {std::pair{p.subject + "/ours", p.ours}, std::pair{p.subject + "/baseline", p.reference}})
      benchmark::RegisterBenchmark(name.c_str(),
                                   [run = body](benchmark::State& state) {
                                     for (auto _ : state) run();
                                   })
          ->Unit(benchmark::kMillisecond)
          ->Repetitions(5)
          ->Iterations(1)
          ->UseRealTime();
  Table table;
  benchmark::RunSpecifiedBenchmarks(&table);
  return 0;
}
