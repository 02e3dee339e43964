// Dressing and handing over: On props over 5 M points, Dress of 1 M, export of 1 M placements, each beside the plainest
// way to the same bytes.
#include "benchmarks/bench.h"
#include "core/formats/exporter.h"
#include "core/geometry/shapes.h"
#include "core/plan/node_kind.h"

#include <cstdio>
#include <filesystem>

namespace arvesk::bench {
namespace {

KitPtr rocks() {
  auto kit = std::make_shared<Kit>();
  for (const float r : {0.6F, 0.8F, 1.0F}) {
    const std::string name = "rock " + std::to_string(r);
    kit->entries.push_back({makeProp(name, name, std::make_shared<const Surface>(makeBall(r, 14))), r});
  }
  return kit;
}

PointsPtr placements(std::size_t count) {
  Points p = points(count, 400, 0.2F, 0.4F);
  Array<Quat> turn(count);
  Array<Vec3> size(count);
  Array<std::int32_t> prop(count);
  for (std::size_t i = 0; i < count; ++i) {
    const std::uint64_t h = mix64(i);
    turn[i] = glm::angleAxis(6 * unitFloat(h),
                             glm::normalize(Vec3(unitFloat(mix64(h)) - 0.5F, 1, unitFloat(h) - 0.5F)));
    size[i] = Vec3(0.7F + 0.6F * unitFloat(h));
    prop[i] = static_cast<std::int32_t>(i % 3);
  }
  p.orientation = std::move(turn);
  p.size = std::move(size);
  p.prop = std::move(prop);
  p.kit = rocks();
  return std::make_shared<const Points>(std::move(p));
}

Outputs run(const char* kind, const Inputs& in, const ParamMap& params) {
  EvalContext ctx;
  std::size_t candidates = 0;
  std::vector<Problem> warnings;
  ctx.candidates = &candidates;
  ctx.warnings = &warnings;
  ctx.nodeUid = 5;
  return findNodeKind(kind)->evaluate(ctx, in, params).value();
}

}  // namespace

void addDressing() {
  // Fifty samples on each of 100 k rocks: the spacing is found once.
  const PointsPtr many = placements(100'000);
  const auto inputs = [many] {
    Inputs in;
    in.links["points"].push_back({many, 1});
    return in;
  };
  const ParamMap params{{"spacing", 0.34}, {"spacing_in", std::string("prop")}, {"variants", 2.0}};
  const std::size_t made = std::get<PointsPtr>(run("on-props", inputs(), params).front())->count;
  add({"On props, " + std::to_string(made / 1'000'000) + "." + std::to_string(made / 100'000 % 10) +
           " M points, one thread",
       "a plain loop that carries as many samples", false, 1.5,
       [inputs, params] { withThreads(1, [&] { benchmark::DoNotOptimize(run("on-props", inputs(), params)); }); },
       [many, made] {
         const std::size_t each = made / many->count;
         std::vector<std::pair<Vec3, Vec3>> samples;
         for (std::size_t k = 0; k < each; ++k)
           samples.push_back({Vec3(unitFloat(mix64(k)), 0.5F, unitFloat(mix64(k + 99))),
                              glm::normalize(Vec3(1, static_cast<float>(k + 1), 2))});
         const std::size_t count = many->count * each;
         Array<Vec3> position(count), normal(count);
         Array<Quat> turn(count);
         Array<Vec2> uv(count);
         Array<std::uint64_t> id(count), parent(count);
         std::size_t c = 0;
         for (std::size_t i = 0; i < many->count; ++i)
           for (std::size_t k = 0; k < each; ++k, ++c) {
             position[c] = many->position[i] + many->orientation[i] * (many->size[i] * samples[k].first);
             normal[c] = many->orientation[i] * samples[k].second;
             turn[c] = many->orientation[i] * shortestTurn(kUp, samples[k].second);
             uv[c] = Vec2(0);
             id[c] = hashOf(many->id[i], static_cast<std::uint64_t>(k));
             parent[c] = many->id[i];
           }
         benchmark::DoNotOptimize(position.data());
         benchmark::DoNotOptimize(turn.data());
         benchmark::DoNotOptimize(id.data());
       }});

  const auto million = std::make_shared<const Points>(points(1'000'000, 1000, 0.1F, 0.2F));
  const KitPtr kit = rocks();
  add({"Dress by chance, 1 M, one thread", "a plain loop over summed weights", false, 5.0,
       [million, kit] {
         withThreads(1, [&] {
           Inputs in;
           in.links["points"].push_back({million, 1});
           in.links["kit"].push_back({kit, 2});
           benchmark::DoNotOptimize(run("dress", in, {}));
         });
       },
       [million, kit] {
         Array<std::int32_t> prop(million->count);
         Array<float> footprint(million->count);
         Array<Vec3> size = million->size.copied(million->count);
         const Draw draw(1, 2, 3, "prop");
         for (std::size_t i = 0; i < million->count; ++i) {
           float u = draw.unit(million->id[i]) * 2.4F;
           std::size_t k = 0;
           while (k + 1 < kit->entries.size() && u >= kit->entries[k].weight) u -= kit->entries[k++].weight;
           prop[i] = static_cast<std::int32_t>(k);
           footprint[i] = kit->entries[k].prop->footprint;
         }
         benchmark::DoNotOptimize(prop.data());
         benchmark::DoNotOptimize(footprint.data());
         benchmark::DoNotOptimize(size.data());
       }});

  const PointsPtr placed = placements(1'000'000);
  const std::string path = (std::filesystem::temp_directory_path() / "arvesk-bench.glb").string();
  add({"Export of 1 M placements as GLB", "writing as many bytes from memory", false, 4.0,
       [placed, path] {
         benchmark::DoNotOptimize(exportLayers({{"Rocks", placed, nullptr}}, path, {}, {}));
         std::filesystem::remove(path);
       },
       [path] {
         const std::vector<char> bytes(48'000'000, 'x');
         if (std::FILE* f = std::fopen(path.c_str(), "wb")) {
           benchmark::DoNotOptimize(std::fwrite(bytes.data(), 1, bytes.size(), f));
           std::fclose(f);
         }
         std::filesystem::remove(path);
       }});
}

}  // namespace arvesk::bench
