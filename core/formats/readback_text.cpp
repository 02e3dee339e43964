// USD text and OBJ read back, line by line.
#include "core/formats/readback.h"

#include "core/geometry/image.h"
#include "core/props/baked.h"

#include <fmt/format.h>

#include <charconv>
#include <filesystem>
#include <set>

namespace arvesk::readback {
namespace {

/// Lines of a text, without the spaces in front.
class Lines {
 public:
  explicit Lines(std::string_view text) : m_rest(text) {}
  bool next(std::string_view& line) {
    if (m_rest.empty()) return false;
    const std::size_t end = std::min(m_rest.find('\n'), m_rest.size());
    line = m_rest.substr(0, end);
    m_rest.remove_prefix(std::min(end + 1, m_rest.size()));
    line.remove_prefix(std::min(line.find_first_not_of(" \t"), line.size()));
    return true;
  }

 private:
  std::string_view m_rest;
};

/// All numbers of a text; what stands between them does not matter.
template <typename T>
std::vector<T> numbers(std::string_view text) {
  std::vector<T> out;
  const char* at = text.data();
  const char* end = at + text.size();
  while (at < end) {
    T value{};
    const auto [next, error] = std::from_chars(at, end, value);
    if (error == std::errc()) {
      out.push_back(value);
      at = next;
    } else {
      ++at;
    }
  }
  return out;
}

std::vector<std::string> between(std::string_view text, char open, char close) {
  std::vector<std::string> out;
  for (std::size_t at = 0; (at = text.find(open, at)) != std::string_view::npos;) {
    const std::size_t end = std::min(text.find(close, at + 1), text.size());
    out.emplace_back(text.substr(at + 1, end - at - 1));
    at = end + 1;
  }
  return out;
}

struct UsdMesh {
  std::uint64_t triangles = 0;
  Box3 box;
  glm::dvec3 colors{0};
  std::uint64_t colored = 0;
};
struct UsdInstancer {
  std::vector<std::string> prototypes;
  std::vector<int> which;
  std::vector<float> at, turn, size, colors;
  std::size_t ids = 0;
};
struct UsdFile {
  std::map<std::string, UsdMesh> meshes;
  std::map<std::string, UsdInstancer> instancers;
  std::set<std::string> references;  // meshes that lie in other files
};

/// Meshes and instancers by their paths; prototypes in other files with them.
Result<UsdFile> readUsda(const std::string& path, const Task& task) {
  const MappedFile file(path);
  if (!file.isOpen()) return wrongFile(path, "cannot be opened");
  if (!file.bytes().starts_with("#usda 1.0")) return wrongFile(path, "does not begin with #usda 1.0");
  UsdFile out;
  std::vector<std::pair<std::string, std::string>> open;  // type and path of the prims around
  std::string type;
  std::string own;
  Lines lines(file.bytes());
  std::string_view line;
  while (lines.next(line)) {
    if (task.isCancelled()) return Failure(cancelled());
    if (line.starts_with("def ")) {
      type = std::string(line.substr(4, line.find(' ', 4) - 4));
      own = (open.empty() ? "" : open.back().second) + "/" + between(line, '"', '"').at(0);
      if (type == "Mesh" && !out.meshes.try_emplace(own).second) return wrongFile(path, "two prims at " + own);
      if (type == "PointInstancer" && !out.instancers.try_emplace(own).second)
        return wrongFile(path, "two prims at " + own);
      continue;
    }
    // A prop by reference: what lies in its file is not ours to read, but the file must be there.
    if (line.starts_with("prepend ") && own.ends_with("/placed/asset")) {
      const std::size_t open2 = line.find('@');
      const std::string_view mark = line.substr(std::min(open2, line.size())).starts_with("@@@") ? "@@@" : "@";
      const std::size_t from = open2 == std::string_view::npos ? open2 : open2 + mark.size();
      const std::size_t to = from == std::string_view::npos ? from : line.find(mark, from);
      if (to == std::string_view::npos) return wrongFile(path, "a reference to nothing");
      const std::filesystem::path named(line.substr(from, to - from));
      std::error_code fault;
      if (!std::filesystem::is_regular_file(std::filesystem::path(path).parent_path() / named, fault))
        return wrongFile(path, fmt::format("{}, which it names, is not there", named.string()));
      UsdMesh& stands = out.meshes[own.substr(0, own.size() - std::string_view("/placed/asset").size())];
      stands.box.add(Vec3(0));
      continue;
    }
    if (line.starts_with("prepend references")) {
      const auto names = between(line, '@', '@');
      if (names.empty()) return wrongFile(path, "a reference to nothing");
      const auto prop = readUsda((std::filesystem::path(path).parent_path() / names[0]).string(), task);
      if (!prop) return Failure(prop.error());
      if (!prop->meshes.contains("/prop")) return wrongFile(path, names[0] + " holds no prop");
      out.meshes[own] = prop->meshes.at("/prop");
      continue;
    }
    if (line == "{") {
      open.emplace_back(type, own);
      continue;
    }
    if (line == "}") {
      if (open.empty()) return wrongFile(path, "a brace too many");
      open.pop_back();
      continue;
    }
    const std::size_t equals = line.find(" = ");
    if (open.empty() || equals == std::string_view::npos) continue;
    const std::string_view head = line.substr(0, equals);
    const std::string_view value = line.substr(equals + 3);
    if (open.back().first == "Mesh") {
      UsdMesh& mesh = out.meshes[open.back().second];
      if (head == "int[] faceVertexCounts")
        for (const int n : numbers<int>(value)) mesh.triangles += static_cast<std::uint64_t>(n - 2);
      if (head == "point3f[] points") {
        const auto p = numbers<float>(value);
        for (std::size_t i = 0; i + 2 < p.size(); i += 3) mesh.box.add(Vec3(p[i], p[i + 1], p[i + 2]));
      }
      if (head == "color3f[] primvars:displayColor") {  // of faces: each corner's
        const auto c = numbers<float>(value);
        for (std::size_t i = 0; i + 2 < c.size(); i += 3) mesh.colors += 3.0 * glm::dvec3(c[i], c[i + 1], c[i + 2]);
        mesh.colored += c.size();
      }
    }
    if (open.back().first == "PointInstancer") {
      UsdInstancer& instancer = out.instancers[open.back().second];
      if (head == "rel prototypes") instancer.prototypes = between(value, '<', '>');
      if (head == "int[] protoIndices") instancer.which = numbers<int>(value);
      if (head == "point3f[] positions") instancer.at = numbers<float>(value);
      if (head == "quath[] orientations") instancer.turn = numbers<float>(value);
      if (head == "float3[] scales") instancer.size = numbers<float>(value);
      if (head == "color3f[] primvars:displayColor") instancer.colors = numbers<float>(value);
      if (head == "int64[] ids") instancer.ids = numbers<std::int64_t>(value).size();
    }
  }
  if (!open.empty()) return wrongFile(path, "it ends within " + open.back().second);
  return out;
}

}  // namespace

Result<Things> usda(const std::string& path, const Task& task) {
  const auto file = readUsda(path, task);
  if (!file) return Failure(file.error());
  Things out;
  std::set<std::string> prototypes;
  for (const auto& [name, in] : file->instancers) {
    const std::size_t n = in.which.size();
    if (in.at.size() != 3 * n || in.turn.size() != 4 * n || in.size.size() != 3 * n || in.ids != n ||
        (!in.colors.empty() && in.colors.size() != 3 * n))
      return wrongFile(path, name + ": lists differ in length");
    for (const std::string& p : in.prototypes)
      if (!file->meshes.contains(p)) return wrongFile(path, name + ": no prototype at " + p);
    prototypes.insert(in.prototypes.begin(), in.prototypes.end());
    for (std::size_t i = 0; i < n; ++i) {
      if (static_cast<std::size_t>(in.which[i]) >= in.prototypes.size())
        return wrongFile(path, name + ": an index without a prototype");
      const std::string& prototype = in.prototypes[static_cast<std::size_t>(in.which[i])];
      const UsdMesh& mesh = file->meshes.at(prototype);
      Thing& thing = out[prototype];
      ++thing.placements;
      thing.triangles += mesh.triangles;
      thing.box.add(placedBox(mesh.box, {in.at[3 * i], in.at[3 * i + 1], in.at[3 * i + 2]},
                              Quat(in.turn[4 * i], in.turn[4 * i + 1], in.turn[4 * i + 2], in.turn[4 * i + 3]),
                              {in.size[3 * i], in.size[3 * i + 1], in.size[3 * i + 2]}));
      if (!in.colors.empty()) thing.addColor({in.colors[3 * i], in.colors[3 * i + 1], in.colors[3 * i + 2]});
    }
  }
  for (const auto& [name, mesh] : file->meshes)
    if (!prototypes.contains(name)) out[name] = {0, mesh.triangles, mesh.box, mesh.colors, mesh.colored};
  return out;
}

namespace {

/// Kd of each material beside an OBJ file, linear light.
std::map<std::string, Vec3> materialsOf(const std::string& path) {
  const MappedFile file(path);
  std::map<std::string, Vec3> out;
  std::string name;
  Lines lines(file.bytes());
  std::string_view line;
  while (lines.next(line)) {
    if (line.starts_with("newmtl ")) name = std::string(line.substr(7));
    if (!line.starts_with("Kd ")) continue;
    const auto kd = numbers<float>(line.substr(3));
    if (kd.size() == 3) out[name] = {linearFromSrgb(kd[0]), linearFromSrgb(kd[1]), linearFromSrgb(kd[2])};
  }
  return out;
}

}  // namespace

Result<Things> obj(const std::string& path, const Task& task) {
  const MappedFile file(path);
  if (!file.isOpen()) return wrongFile(path, "cannot be opened");
  Things out;
  Thing* thing = nullptr;
  std::vector<std::array<float, 6>> vertices;  // places and colors, linear light, of the object; its faces come after
  std::size_t before = 0;                      // vertices of the objects before
  std::map<std::string, Vec3> materials;
  Vec3 base(1);
  Lines lines(file.bytes());
  std::string_view line;
  while (lines.next(line)) {
    if (task.isCancelled()) return Failure(cancelled());
    if (line.starts_with("mtllib "))
      materials = materialsOf((std::filesystem::path(path).parent_path() / std::string(line.substr(7))).string());
    if (line.starts_with("o ")) {
      const auto [it, isNew] = out.try_emplace(std::string(line.substr(2)));
      if (!isNew) return wrongFile(path, "two objects are called " + it->first);
      thing = &it->second;
      before += vertices.size();
      vertices.clear();
    }
    if (line.starts_with("usemtl ")) {
      const auto it = materials.find(std::string(line.substr(7)));
      if (it == materials.end()) return wrongFile(path, "no material is called " + std::string(line.substr(7)));
      base = it->second;
    }
    if (line.starts_with("v ")) {
      const auto v = numbers<float>(line.substr(2));
      if (v.size() != 3 && v.size() != 6)
        return wrongFile(path, "a vertex of " + std::to_string(v.size()) + " numbers");
      std::array<float, 6> vertex{v[0], v[1], v[2], 1, 1, 1};
      for (std::size_t k = 3; k < v.size(); ++k) vertex[k] = linearFromSrgb(v[k]);
      vertices.push_back(vertex);
    }
    if (line.starts_with("f ")) {
      if (!thing) return wrongFile(path, "faces before the first object");
      ++thing->triangles;
      for (std::size_t at = 2; at < line.size();) {
        std::size_t index = 0;
        std::from_chars(line.data() + at, line.data() + line.size(), index);
        if (index <= before || index > before + vertices.size()) return wrongFile(path, "a face without its vertex");
        const auto& v = vertices[index - before - 1];
        thing->box.add(Vec3(v[0], v[1], v[2]));
        thing->addColor(base * Vec3(v[3], v[4], v[5]));
        at = line.find(' ', at);
        if (at == std::string_view::npos) break;
        ++at;
      }
    }
  }
  return out;
}

}  // namespace arvesk::readback
