#include "core/formats/mesh_reader.h"
#include "core/base/utf8.h"

#include "core/base/hash.h"
#include "core/base/safe_file.h"
#include "core/formats/import_helper.h"
#include "core/geometry/motion.h"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <filesystem>
#include <limits>

namespace arvesk {
namespace {

std::string endingOf(const std::string& path) {
  const std::size_t dot = path.find_last_of('.');
  std::string ending = dot == std::string::npos ? "" : path.substr(dot + 1);
  std::transform(ending.begin(), ending.end(), ending.begin(),
                 [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return ending;
}

Problem repaired(std::string message) {
  return {ProblemCode::FileUnreadable,
          Severity::Warning,
          {},
          std::move(message),
          "Fix the file in the program that wrote it"};
}

template <typename T>
void eraseFaces(SharedArray<T>& shared, const Array<std::uint8_t>& isBad) {
  if (shared.empty()) return;
  Array<T>& perFace = shared.edit();
  std::size_t out = 0;
  for (std::size_t f = 0; f < isBad.size(); ++f)
    if (!isBad[f]) perFace[out++] = perFace[f];
  perFace.resize(out);
}

/// In files that have no scene each named part is a node, at the middle of its base.
void addNodesOfParts(Surface& s) {
  if (!s.nodes.empty() || s.faceParts.empty()) return;
  std::vector<Box3> boxes(s.parts.size());
  for (std::size_t f = 0; f < s.faceCount(); ++f)
    for (int k = 0; k < 3; ++k) boxes[s.faceParts[f]].add(s.positions[s.triangles[f][k]]);
  for (std::size_t p = 0; p < boxes.size(); ++p)
    if (!boxes[p].isEmpty())
      s.nodes.push_back(
          {s.parts[p], -1, {boxes[p].center().x, boxes[p].min.y, boxes[p].center().z}, Quat(1, 0, 0, 0), Vec3(1)});
}

/// All names in one encoding, whatever the file was written in.
void nameInUtf8(Surface& s) {
  s.name = asUtf8(std::move(s.name));
  for (std::string& part : s.parts) part = asUtf8(std::move(part));
  for (Material& m : s.materials) m.name = asUtf8(std::move(m.name));
  for (SceneNode& node : s.nodes) node.name = asUtf8(std::move(node.name));
  Attributes named;
  for (auto& [name, column] : s.vertexAttributes) named.insert_or_assign(asUtf8(name), std::move(column));
  s.vertexAttributes = std::move(named);
}

/// Takes out faces that refer to nothing or to places that are not numbers, and gives normals where there are none.
Result<Surface> finished(Surface s, std::vector<Problem>& warnings) {
  const std::size_t n = s.positions.size();
  Array<std::uint8_t> isBad;
  isBad.assign(s.triangles.size(), 0);
  std::size_t notFinite = 0;
  std::size_t outside = 0;
  std::size_t flat = 0;
  for (std::size_t f = 0; f < s.triangles.size(); ++f) {
    const UVec3 t = s.triangles[f];
    if (std::max({t.x, t.y, t.z}) >= n) {
      isBad[f] = 1;
      ++outside;
    } else if (!isFinite(s.positions[t.x]) || !isFinite(s.positions[t.y]) || !isFinite(s.positions[t.z])) {
      isBad[f] = 1;
      ++notFinite;
    } else if (!(s.faceArea(f) > 0) || !std::isfinite(s.faceArea(f))) {
      isBad[f] = 1;
      ++flat;
    }
  }
  if (outside > 0)
    warnings.push_back(
        repaired(fmt::format("{} faces referred to vertices that are not there and were left out", outside)));
  if (notFinite > 0)
    warnings.push_back(
        repaired(fmt::format("{} faces had positions that are not numbers and were left out", notFinite)));
  if (flat > 0)
    warnings.push_back({ProblemCode::FileUnreadable,
                        Severity::Note,
                        {},
                        fmt::format("{} faces without area were left out", flat),
                        {}});
  if (outside + notFinite + flat > 0) {
    eraseFaces(s.faceMaterials, isBad);
    eraseFaces(s.faceParts, isBad);
    eraseFaces(s.triangles, isBad);
  }
  // A scene of empty nodes or bare points is of use to Markers and Point file; who needs triangles says so.
  if (s.triangles.empty() && (s.nodes.empty() && (n == 0 || !isBad.empty()))) return noTriangles();
  for (Vec3& p : s.positions.edit())
    if (!isFinite(p)) p = Vec3(0);  // no face uses it
  for (Vec2& uv : s.uvs.edit())
    if (!std::isfinite(uv.x) || !std::isfinite(uv.y)) uv = Vec2(0);
  for (Vec4& c : s.colors.edit())
    for (int i = 0; i < 4; ++i) c[i] = std::isfinite(c[i]) ? std::clamp(c[i], 0.0F, 1.0F) : 1.0F;
  for (auto& [name, column] : s.vertexAttributes)
    if (auto* numbers = std::get_if<Column<float>>(&column)) {
      Array<float> values = numbers->values();
      std::size_t odd = 0;
      for (float& v : values)
        if (!std::isfinite(v)) v = 0, ++odd;
      if (odd == 0) continue;
      *numbers = Column<float>(std::move(values));
      warnings.push_back(repaired(fmt::format("{} values of \"{}\" are no numbers and count as 0", odd, asUtf8(name))));
    }
  float far = 0;
  for (const Vec3& p : s.positions) far = std::max({far, std::abs(p.x), std::abs(p.y), std::abs(p.z)});
  if (const float step = std::nextafter(far, std::numeric_limits<float>::max()) - far; step > 2e-3F)
    warnings.push_back({ProblemCode::FileUnreadable,
                        Severity::Warning,
                        {},
                        fmt::format("it lies up to {:.0f} units from its origin, where places are only kept to within "
                                    "{:.2g} units, whatever the file holds",
                                    far, step / 2),
                        "Move it to its origin in the program that wrote it"});
  const bool hasNormals = s.normals.size() == n && std::all_of(s.normals.begin(), s.normals.end(), [](const Vec3& v) {
                            return isFinite(v) && glm::length(v) > 1e-6F;
                          });
  if (hasNormals) {
    for (Vec3& v : s.normals.edit()) v = glm::normalize(v);
  } else {
    s.hasOwnNormals = false;
    if (!s.normals.empty())
      warnings.push_back(repaired("some normals were not directions; all were computed from the faces"));
    computeSmoothNormals(s);
  }
  splitByMaterial(s);
  nameInUtf8(s);
  if (s.motion)
    if (const auto ok = s.motion->check(s.positions.size(), s.nodes.size()); !ok) {
      s.motion = nullptr;
      warnings.push_back(repaired(ok.error().message + "; it is not read"));
    }
  addNodesOfParts(s);
  if (s.parts.empty()) s.parts.push_back(s.name);
  if (auto ok = checkSurface(s); !ok) return Failure(ok.error());
  return s;
}

}  // namespace

namespace {

Result<Texture> decodeTexture(const std::vector<std::uint8_t>& file) {
  const bool isJpeg = file.size() > 2 && file[0] == 0xff && file[1] == 0xd8;
  const std::string base = (std::filesystem::temp_directory_path() /
                            fmt::format("arvesk-{}-{}", ::getpid(),
                                        hashText({reinterpret_cast<const char*>(file.data()), file.size()})))
                               .string();
  const std::string in = base + (isJpeg ? ".jpg" : ".png");
  const std::string out = base + ".asset";
  auto image = [&]() -> Result<ImagePtr> {
    if (auto ok = writeWhole(in, {reinterpret_cast<const char*>(file.data()), file.size()}); !ok)
      return Failure(ok.error());
    if (auto ok = runImportHelper(AssetKind::Image, in, out, {}); !ok) return Failure(ok.error());
    auto outcome = readOutcome(out);
    if (!outcome) return Failure(outcome.error());
    if (!outcome->image)
      return outcome->failure ? Result<ImagePtr>(Failure(*outcome->failure))
                              : fail(ProblemCode::FileUnreadable, "is no image");
    return outcome->image;
  }();
  std::error_code ignored;
  std::filesystem::remove(in, ignored);
  std::filesystem::remove(out, ignored);
  if (!image) return Failure(image.error());
  return textureOf(**image);
}

}  // namespace

void Textures::add(const std::string& name, const std::vector<std::uint8_t>& file, Material& material,
                   std::vector<Problem>& warnings) {
  const auto [it, isNew] = m_read.try_emplace(name);
  Read& read = it->second;
  if (isNew) {
    auto decoded = decodeTexture(file);
    if (!decoded) read.why = decoded.error().message;
    if (decoded) {
      read.texture = std::make_shared<const Texture>(std::move(*decoded));
      read.type = file.size() > 2 && file[0] == 0xff ? "image/jpeg" : "image/png";
      read.file = std::make_shared<const std::vector<std::uint8_t>>(file);
    }
  }
  material.texture = read.texture;
  material.textureType = read.type;
  material.textureFile = read.file;
  if (!read.texture)
    warnings.push_back(
        {ProblemCode::FileUnreadable,
         Severity::Warning,
         {},
         fmt::format("the texture {} of material \"{}\" could not be read: {}", name, material.name, read.why),
         "Use PNG or JPEG textures"});
}

Result<Surface> readMesh(const std::string& path, std::vector<Problem>& warnings, ReadFiles& files) {
  files.note(path);
  const std::string ending = endingOf(path);
  Result<Surface> surface = ending == "gltf" || ending == "glb" ? readers::gltf(path, warnings, files)
                            : ending == "obj"                   ? readers::obj(path, warnings, files)
                            : ending == "ply"                   ? readers::ply(path, warnings)
                                                                : readers::others(path, warnings, files);
  if (!surface) return surface;
  const std::size_t slash = path.find_last_of('/');
  if (surface->name.empty()) surface->name = path.substr(slash == std::string::npos ? 0 : slash + 1);
  return finished(std::move(*surface), warnings);
}

}  // namespace arvesk
