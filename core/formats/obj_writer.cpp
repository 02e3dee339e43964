// OBJ as real geometry, for old pipelines: an object per output and prop, materials in an .mtl beside. Written as it is
// made.
#include "core/formats/exporter.h"
#include "core/formats/sidecars.h"
#include "core/props/baked.h"
#include "core/props/coloring.h"

#include <fmt/format.h>

namespace arvesk {
namespace {

std::string word(const std::string& text) {
  std::string out = text.empty() ? "unnamed" : text;
  for (char& c : out)
    if (std::isspace(static_cast<unsigned char>(c))) c = '_';
  return out;
}

class ObjFile {
 public:
  ObjFile(exporters::Job& job) : m_job(job), m_file(job.path), m_sidecars(job.path, false, {".mtl", ".png", ".jpg"}) {
    // The materials are known at the end, and with them the name of their file, which is as long as this one.
    m_block = "# Arvesk, meters, Y up\nmtllib ";
    m_mtlAt = m_block.size();
    m_block += m_sidecars.nameOf({}, ".mtl", 0) + "\n";
  }

  /// What it is called there: OBJ knows no spaces.
  std::string beginObject(const std::string& name) {
    std::string own = exporters::uniqueColumn(m_objects, word(name));
    m_block += fmt::format("o {}\n", own);
    return own;
  }

  /// One copy of a mesh; false after a cancel.
  /// `colorOf`: sRGB of a vertex behind its place, as most readers know it; empty where the prop is as it was made.
  bool copy(const Surface& s, const Vec3& at, const Quat& q, const Vec3& size,
            const std::function<Vec3(std::size_t)>& colorOf = {}) {
    for (std::size_t v = 0; v < s.positions.size(); ++v) {
      const Vec3 w = at + q * (size * s.positions[v]);
      if (!colorOf) {
        fmt::format_to(std::back_inserter(m_block), "v {} {} {}\n", w.x, w.y, w.z);
        continue;
      }
      const Vec3 c = exporters::heldColor(m_job.report, colorOf(v));
      fmt::format_to(std::back_inserter(m_block), "v {} {} {} {:.4f} {:.4f} {:.4f}\n", w.x, w.y, w.z,
                     srgbFromLinear(c.x), srgbFromLinear(c.y), srgbFromLinear(c.z));
    }
    m_isColored = static_cast<bool>(colorOf);
    for (const Vec2& uv : s.uvs) fmt::format_to(std::back_inserter(m_block), "vt {} {}\n", uv.x, 1 - uv.y);
    for (const Vec3& n : s.normals) {
      const Vec3 w = placedNormal(n, q, size);
      fmt::format_to(std::back_inserter(m_block), "vn {:.6g} {:.6g} {:.6g}\n", w.x, w.y, w.z);
    }
    const bool isMirrored = isMirroring(size);
    std::string current;
    const Material* last = nullptr;
    for (std::size_t f = 0; f < s.faceCount(); ++f) {
      if (const Material* given = &s.materialOf(f); given != last) {
        last = given;
        const std::string& material = materialOf(*given, m_isColored);
        if (material != current) {
          current = material;
          m_block += "usemtl " + current + "\n";
        }
      }
      m_block += 'f';
      for (int k = 0; k < 3; ++k) {
        const std::uint32_t v = s.triangles[f][isMirrored && k > 0 ? 3 - k : k];
        fmt::format_to(std::back_inserter(m_block), " {}", m_vertex + v);
        if (!s.uvs.empty() || !s.normals.empty()) m_block += '/';
        if (!s.uvs.empty()) fmt::format_to(std::back_inserter(m_block), "{}", m_uv + v);
        if (!s.normals.empty()) fmt::format_to(std::back_inserter(m_block), "/{}", m_normal + v);
      }
      m_block += '\n';
    }
    m_vertex += s.positions.size();
    m_uv += s.uvs.size();
    m_normal += s.normals.size();
    return flush();
  }

  Result<void> commit() {
    m_file.write(m_block);
    if (m_job.task.isCancelled()) return Failure(cancelled());
    if (!m_error.message.empty()) return Failure(m_error);
    const auto mtl = m_sidecars.add({}, ".mtl", "# Arvesk\n" + m_mtl);
    if (!mtl) return Failure(mtl.error());
    m_file.writeAt(static_cast<long>(m_mtlAt), mtl->data(), mtl->size());
    if (auto ok = m_file.commit(); !ok) return ok;
    m_sidecars.keep();
    m_job.report.files.insert(m_job.report.files.end(), m_sidecars.files().begin(), m_sidecars.files().end());
    return {};
  }

 private:
  bool flush() {
    if (m_block.size() > (1 << 20)) {
      m_file.write(m_block);
      m_block.clear();
    }
    return !m_job.task.isCancelled();
  }

  /// Below vertex colors a material without a texture is white.
  const std::string& materialOf(const Material& given, bool isWhite) {
    Material m = given;
    isWhite = isWhite && !m.textureFile;
    if (isWhite) m.baseColor = Vec4(1, 1, 1, m.baseColor.a);
    std::string& name = m_names[fmt::format("{}\n{} {} {} {}\n{} {}", m.name, m.baseColor.r, m.baseColor.g,
                                            m.baseColor.b, m.baseColor.a, fmt::ptr(m.textureFile.get()), m.cutBelow)];
    if (!name.empty()) return name;
    name = word(exporters::uniqueName(m_used, word(m.name.empty() ? "material" : m.name)));
    const auto srgb = [](float v) { return v <= 0.0031308F ? 12.92F * v : 1.055F * std::pow(v, 1 / 2.4F) - 0.055F; };
    m_mtl += fmt::format("newmtl {}\nKd {:.5g} {:.5g} {:.5g}\nd {:.5g}\n", name, srgb(m.baseColor.r),
                         srgb(m.baseColor.g), srgb(m.baseColor.b), m.baseColor.a);
    if (m.textureFile) {
      const auto file = m_sidecars.add({}, m.textureType == "image/jpeg" ? ".jpg" : ".png",
                                       exporters::bytesOf(*m.textureFile));
      if (!file) {
        m_error = file.error();
        return name;
      }
      m_mtl += "map_Kd " + *file + "\n";
      if (m.cutBelow > 0) m_mtl += "map_d " + *file + "\n";
    }
    return name;
  }

  exporters::Job& m_job;
  SafeFile m_file;
  exporters::Sidecars m_sidecars;
  std::size_t m_mtlAt;  // bytes before its name
  std::string m_block;
  std::string m_mtl;
  std::map<std::string, std::string> m_names;  // by all that is written of a material
  bool m_isColored = false;
  std::map<std::string, int> m_used;
  std::set<std::string> m_objects;
  Problem m_error;
  std::size_t m_vertex = 1;
  std::size_t m_uv = 1;
  std::size_t m_normal = 1;
};

}  // namespace

Result<void> exporters::obj(Job& job) {
  if (auto ok = guardGeometry(job); !ok) return Failure(ok.error());
  ObjFile file(job);
  std::size_t done = 0;
  for (Group& g : job.groups) {
    const Points& p = *g.layer->points;
    g.written = file.beginObject(g.name);
    bool goesOn = true;
    const Surface& s = *g.prop->surface;
    const PointColors colors(p);
    const Vec3 mean = meanColorOf(s);
    const bool isColored = !colors.isPlain() || !s.colors.empty();
    const Array<Vec3> base = isColored ? materialColors(s) : Array<Vec3>();
    for (std::size_t k = 0; k < g.points.size() && goesOn; ++k) {
      const std::uint32_t i = g.points[k];
      const auto colorOf = [&](std::size_t v) {
        return colors.apply(base[v] * (s.colors.empty() ? Vec3(1) : Vec3(s.colors[v])), i, mean);
      };
      goesOn = file.copy(s, p.position[i], p.orientation[i], p.size[i],
                         isColored ? colorOf : std::function<Vec3(std::size_t)>());
    }
    if (!goesOn) return Failure(cancelled());
    job.task.report(static_cast<float>(++done) / static_cast<float>(job.groups.size()));
  }
  for (Solid& solid : job.solids) {
    solid.written = file.beginObject(solid.name);
    const Surface& s = *solid.surface;
    const Array<Vec3> base = s.colors.empty() ? Array<Vec3>() : materialColors(s);
    const auto colorOf = [&](std::size_t v) { return base[v] * Vec3(s.colors[v]); };
    if (!file.copy(s, Vec3(0), Quat(1, 0, 0, 0), Vec3(1),
                   s.colors.empty() ? std::function<Vec3(std::size_t)>() : colorOf))
      return Failure(cancelled());
  }
  return file.commit();
}

}  // namespace arvesk
