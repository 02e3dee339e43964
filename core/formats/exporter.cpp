#include "core/formats/exporter.h"

#include "core/formats/safe_file.h"

#include <fmt/format.h>

#include <set>

namespace arvesk {
namespace {

std::string uniqueName(std::set<std::string>& used, const std::string& wanted) {
  std::string name = wanted.empty() ? "unnamed" : wanted;
  for (int n = 2; !used.insert(name).second; ++n) name = fmt::format("{} {}", wanted, n);
  return name;
}

bool endsWith(const std::string& text, std::string_view ending) { return text.size() >= ending.size() && text.compare(text.size() - ending.size(), ending.size(), ending) == 0; }

std::string csvField(const std::string& text) {
  if (text.find_first_of(",\"\n") == std::string::npos) return text;
  std::string out = "\"";
  for (const char c : text) out += c == '"' ? std::string("\"\"") : std::string(1, c);
  return out + '"';
}

}  // namespace

Result<ExportReport> exportLayers(const std::vector<ExportLayer>& layers, const std::string& path, const Task& task) {
  ExportReport report;
  std::vector<exporters::Group> groups;
  std::set<std::string> names;
  for (const ExportLayer& layer : layers) {
    const Points& p = *layer.points;
    std::vector<Array<std::uint32_t>> byProp(p.kit ? p.kit->entries.size() : 0);
    for (std::size_t i = 0; i < p.count; ++i) {
      if (p.prop[i] == kNoProp) ++report.withoutProp;
      else byProp[static_cast<std::size_t>(p.prop[i])].push_back(static_cast<std::uint32_t>(i));
    }
    for (std::size_t k = 0; k < byProp.size(); ++k) {
      if (byProp[k].empty()) continue;
      const PropPtr& prop = p.kit->entries[k].prop;
      report.placements += byProp[k].size();
      report.perProp[prop->name] += byProp[k].size();
      groups.push_back({&layer, prop, std::move(byProp[k]), uniqueName(names, layer.name + " " + prop->name)});
    }
  }
  Result<void> done = endsWith(path, ".glb")    ? exporters::gltf(groups, path, true, task)
                      : endsWith(path, ".gltf") ? exporters::gltf(groups, path, false, task)
                      : endsWith(path, ".usda") ? exporters::usda(groups, path, task)
                      : endsWith(path, ".csv")  ? exporters::csv(groups, path, task)
                                                : Result<void>(fail(ProblemCode::BadParameter, "the format is not known by its ending", "Use .glb, .gltf, .usda or .csv", path));
  if (!done) return Failure(done.error());
  return report;
}

Result<void> exporters::csv(const std::vector<Group>& groups, const std::string& path, const Task& task) {
  SafeFile file(path);
  file.write("id,prop,output,x,y,z,qx,qy,qz,qw,scale_x,scale_y,scale_z\n");
  std::string block;
  for (const Group& g : groups) {
    const Points& p = *g.layer->points;
    const std::string prop = csvField(g.prop->name);
    const std::string layer = csvField(g.layer->name);
    for (const std::uint32_t i : g.points) {
      if (task.isCancelled()) return Failure(cancelled());
      const Vec3& at = p.position[i];
      const Quat& q = p.orientation[i];
      const Vec3& s = p.size[i];
      fmt::format_to(std::back_inserter(block), "{},{},{},{},{},{},{},{},{},{},{},{},{}\n", p.id[i], prop, layer, at.x, at.y, at.z, q.x, q.y, q.z, q.w, s.x, s.y, s.z);
      if (block.size() > (1 << 20)) {
        file.write(block);
        block.clear();
      }
    }
  }
  file.write(block);
  return file.commit();
}

}  // namespace arvesk
