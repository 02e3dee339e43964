#include "core/formats/asset_cache.h"

#include "core/base/safe_file.h"
#include "core/geometry/motion.h"

#include <xxhash.h>

#include <cstring>
#include <map>

namespace arvesk {
namespace {

constexpr std::uint64_t kMagic = 0x3730434b53565241ULL;  // "ARVSKC07"

class Writer {
 public:
  std::string bytes;
  template <typename T>
  void number(T v) {
    bytes.append(reinterpret_cast<const char*>(&v), sizeof v);
  }
  void text(const std::string& s) {
    number<std::uint64_t>(s.size());
    bytes += s;
  }
  template <typename Container>
  void array(const Container& values) {
    number<std::uint64_t>(values.size());
    bytes.append(reinterpret_cast<const char*>(values.data()), values.size() * sizeof(typename Container::value_type));
  }
  void note(const Problem& p) {
    number(static_cast<std::uint32_t>(p.code));
    number(static_cast<std::uint32_t>(p.severity));
    text(p.message);
    text(p.advice);
  }
};

/// Throws Short when the bytes end too early.
struct Short {};
class Reader {
 public:
  explicit Reader(std::string_view bytes) : m_rest(bytes) {}
  template <typename T>
  T number() {
    T v;
    std::memcpy(&v, take(sizeof v), sizeof v);
    return v;
  }
  std::string text() {
    const auto size = number<std::uint64_t>();
    return std::string(take(size), size);
  }
  template <typename Container>
  void array(Container& out) {
    using T = typename Container::value_type;
    const auto count = number<std::uint64_t>();
    if (count > m_rest.size() / sizeof(T)) throw Short{};
    auto& values = editable(out);
    values.resize(count);
    const char* from = take(count * sizeof(T));
    constexpr std::size_t kPiece = (std::size_t{8} << 20) / sizeof(T);
    for (std::size_t at = 0; at < count; at += kPiece) {
      endIfStopped();
      std::memcpy(values.data() + at, from + at * sizeof(T), std::min<std::size_t>(kPiece, count - at) * sizeof(T));
    }
  }
  Problem note() {
    Problem p;
    p.code = static_cast<ProblemCode>(number<std::uint32_t>());
    p.severity = static_cast<Severity>(number<std::uint32_t>());
    p.message = text();
    p.advice = text();
    return p;
  }

 private:
  template <typename T>
  static Array<T>& editable(SharedArray<T>& values) {
    return values.edit();
  }
  template <typename Container>
  static Container& editable(Container& values) {
    return values;
  }

  const char* take(std::uint64_t size) {
    if (size > m_rest.size()) throw Short{};
    const char* at = m_rest.data();
    m_rest.remove_prefix(size);
    return at;
  }
  std::string_view m_rest;
};

void write(Writer& w, const Motion& m) {
  w.number<std::uint64_t>(m.clips.size());
  for (const Motion::Clip& clip : m.clips) {
    w.text(clip.name);
    w.number<std::uint64_t>(clip.tracks.size());
    for (const Motion::Track& track : clip.tracks) {
      w.number(track.node);
      w.number(track.of);
      w.number(track.between);
      w.array(track.times);
      w.array(track.values);
    }
  }
  w.array(m.parents);
  for (const Motion::Joint& node : m.nodes) {
    w.number(node.place);
    w.number(node.turn);
    w.number(node.size);
    w.number<std::uint8_t>(node.matrix.has_value());
    if (node.matrix) w.number(*node.matrix);
    w.array(node.shares);
  }
  w.number<std::uint64_t>(m.skins.size());
  for (const Motion::Skin& skin : m.skins) {
    w.array(skin.joints);
    w.array(skin.fromBind);
  }
  w.number<std::uint64_t>(m.parts.size());
  for (const Motion::Part& part : m.parts) {
    w.number(part.first);
    w.number(part.node);
    w.number(part.skin);
    w.array(part.positions);
    w.array(part.normals);
    w.number<std::uint64_t>(part.shapes.size());
    for (const Motion::Shape& shape : part.shapes) {
      w.array(shape.by);
      w.array(shape.normalBy);
    }
    w.number(part.perVertex);
    w.array(part.joints);
    w.array(part.weights);
  }
}

Motion readMotion(Reader& r) {
  Motion m;
  for (auto n = r.number<std::uint64_t>(); n > 0; --n) {
    Motion::Clip& clip = m.clips.emplace_back();
    clip.name = r.text();
    for (auto k = r.number<std::uint64_t>(); k > 0; --k) {
      Motion::Track& track = clip.tracks.emplace_back();
      track.node = r.number<std::uint32_t>();
      const auto of = r.number<std::uint8_t>();
      const auto between = r.number<std::uint8_t>();
      if (of > static_cast<std::uint8_t>(Motion::Track::Of::Shares) ||
          between > static_cast<std::uint8_t>(Motion::Track::Between::Curved))
        throw Short{};
      track.of = static_cast<Motion::Track::Of>(of);
      track.between = static_cast<Motion::Track::Between>(between);
      r.array(track.times);
      r.array(track.values);
    }
  }
  r.array(m.parents);
  for (std::size_t i = 0; i < m.parents.size(); ++i) {
    Motion::Joint& node = m.nodes.emplace_back();
    node.place = r.number<Vec3>();
    node.turn = r.number<Quat>();
    node.size = r.number<Vec3>();
    if (r.number<std::uint8_t>() != 0) node.matrix = r.number<glm::dmat4>();
    r.array(node.shares);
  }
  for (auto n = r.number<std::uint64_t>(); n > 0; --n) {
    Motion::Skin& skin = m.skins.emplace_back();
    r.array(skin.joints);
    r.array(skin.fromBind);
  }
  for (auto n = r.number<std::uint64_t>(); n > 0; --n) {
    Motion::Part& part = m.parts.emplace_back();
    part.first = r.number<std::uint32_t>();
    part.node = r.number<std::uint32_t>();
    part.skin = r.number<std::int32_t>();
    r.array(part.positions);
    r.array(part.normals);
    for (auto k = r.number<std::uint64_t>(); k > 0; --k) {
      Motion::Shape& shape = part.shapes.emplace_back();
      r.array(shape.by);
      r.array(shape.normalBy);
    }
    part.perVertex = r.number<std::uint32_t>();
    r.array(part.joints);
    r.array(part.weights);
  }
  return m;
}

void write(Writer& w, const Surface& s) {
  w.text(s.name);
  w.array(s.positions);
  w.array(s.triangles);
  w.array(s.normals);
  w.array(s.uvs);
  w.array(s.colors);
  w.array(s.faceMaterials);
  w.array(s.faceParts);
  // Materials may share a texture: it is written with the first.
  std::map<const Texture*, std::uint64_t> textures;
  w.number<std::uint64_t>(s.materials.size());
  for (const Material& m : s.materials) {
    w.text(m.name);
    w.number(m.baseColor);
    w.number(m.roughness);
    w.number(m.metallic);
    w.number<std::uint8_t>(m.isTwoSided);
    w.number(m.cutBelow);
    w.number<std::uint8_t>(m.isBlended);
    w.number<std::uint8_t>(m.texture && m.textureFile);
    if (!m.texture || !m.textureFile) continue;
    const auto [it, isNew] = textures.try_emplace(m.texture.get(), textures.size());
    w.number(it->second);
    if (!isNew) continue;
    w.number(m.texture->width);
    w.number(m.texture->height);
    w.array(m.texture->rgba);
    w.array(*m.textureFile);
    w.text(m.textureType);
  }
  w.number<std::uint64_t>(s.parts.size());
  for (const std::string& part : s.parts) w.text(part);
  w.number<std::uint64_t>(s.nodes.size());
  for (const SceneNode& n : s.nodes) {
    w.text(n.name);
    w.number(n.parent);
    w.number(n.position);
    w.number(n.turn);
    w.number(n.size);
    w.number<std::uint8_t>(n.isSheared);
    w.number<std::uint64_t>(n.values.size());
    for (const auto& [name, value] : n.values) {
      w.text(name);
      w.number<std::uint8_t>(static_cast<std::uint8_t>(value.index()));
      if (const auto* number = std::get_if<double>(&value))
        w.number(*number);
      else
        w.text(std::get<std::string>(value));
    }
  }
  w.number<std::uint8_t>(s.hasOwnNormals);
  w.number<std::uint8_t>(s.isMirrored);
  w.number<std::uint64_t>(s.vertexAttributes.size());
  for (const auto& [name, column] : s.vertexAttributes) {
    w.text(name);
    w.array(std::get<Column<float>>(column).values());  // readers make no other type
  }
  w.number<std::uint8_t>(s.motion != nullptr);
  if (s.motion) write(w, *s.motion);
}

Surface readSurface(Reader& r) {
  Surface s;
  s.name = r.text();
  r.array(s.positions);
  r.array(s.triangles);
  r.array(s.normals);
  r.array(s.uvs);
  r.array(s.colors);
  r.array(s.faceMaterials);
  r.array(s.faceParts);
  std::vector<Material> withTextures;
  for (auto n = r.number<std::uint64_t>(); n > 0; --n) {
    Material m;
    m.name = r.text();
    m.baseColor = r.number<Vec4>();
    m.roughness = r.number<float>();
    m.metallic = r.number<float>();
    m.isTwoSided = r.number<std::uint8_t>() != 0;
    m.cutBelow = r.number<float>();
    m.isBlended = r.number<std::uint8_t>() != 0;
    const bool hasTexture = r.number<std::uint8_t>() != 0;
    const std::uint64_t shared = hasTexture ? r.number<std::uint64_t>() : 0;
    if (hasTexture && shared < withTextures.size()) {
      m.texture = withTextures[shared].texture;
      m.textureFile = withTextures[shared].textureFile;
      m.textureType = withTextures[shared].textureType;
    } else if (hasTexture) {
      auto texture = std::make_shared<Texture>();
      auto file = std::make_shared<std::vector<std::uint8_t>>();
      texture->width = r.number<int>();
      texture->height = r.number<int>();
      r.array(texture->rgba);
      r.array(*file);
      m.textureType = r.text();
      if (texture->width < 1 || texture->height < 1 ||
          texture->rgba.size() !=
              static_cast<std::size_t>(texture->width) * static_cast<std::size_t>(texture->height) * 4)
        throw Short{};
      m.texture = texture;
      m.textureFile = file;
      withTextures.push_back(m);
    }
    s.materials.push_back(std::move(m));
  }
  for (auto n = r.number<std::uint64_t>(); n > 0; --n) s.parts.push_back(r.text());
  for (auto n = r.number<std::uint64_t>(); n > 0; --n) {
    SceneNode node;
    node.name = r.text();
    node.parent = r.number<std::int32_t>();
    if (node.parent >= static_cast<std::int32_t>(s.nodes.size())) throw Short{};
    node.position = r.number<Vec3>();
    node.turn = r.number<Quat>();
    node.size = r.number<Vec3>();
    node.isSheared = r.number<std::uint8_t>() != 0;
    for (auto k = r.number<std::uint64_t>(); k > 0; --k) {
      std::string name = r.text();
      if (r.number<std::uint8_t>() == 0)
        node.values[std::move(name)] = r.number<double>();
      else
        node.values[std::move(name)] = r.text();
    }
    s.nodes.push_back(std::move(node));
  }
  s.hasOwnNormals = r.number<std::uint8_t>() != 0;
  s.isMirrored = r.number<std::uint8_t>() != 0;
  for (auto n = r.number<std::uint64_t>(); n > 0; --n) {
    const std::string name = r.text();
    Array<float> values;
    r.array(values);
    if (values.size() != s.positions.size()) throw Short{};
    s.vertexAttributes[name] = Column<float>(std::move(values));
  }
  if (r.number<std::uint8_t>() != 0) {
    Motion motion = readMotion(r);
    if (!motion.check(s.positions.size(), s.nodes.size())) throw Short{};
    s.motion = std::make_shared<const Motion>(std::move(motion));
  }
  return s;
}

void write(Writer& w, const VolumeFile& file) {
  w.number<std::uint64_t>(file.grids.size());
  for (const VolumeGrid& grid : file.grids) {
    w.text(grid.name);
    w.number(grid.voxelSize);
    w.number<std::uint64_t>(grid.voxels);
    w.number(grid.bounds);
    w.number<std::uint8_t>(grid.density ? 1 : 0);
    if (grid.density) {
      w.number(grid.density->lattice());
      w.array(grid.density->bricks());
      w.array(grid.density->values());
    } else {
      write(w, *grid.skin);
    }
  }
}

VolumeFile readVolumes(Reader& r) {
  VolumeFile file;
  for (auto n = r.number<std::uint64_t>(); n > 0; --n) {
    VolumeGrid grid;
    grid.name = r.text();
    grid.voxelSize = r.number<float>();
    grid.voxels = r.number<std::uint64_t>();
    grid.bounds = r.number<Box3>();
    if (r.number<std::uint8_t>() != 0) {
      const auto lattice = r.number<Density::Lattice>();
      std::vector<IVec3> bricks;
      Array<float> values;
      r.array(bricks);
      r.array(values);
      if (values.size() != bricks.size() * Density::kPerBrick) throw Short{};
      auto density = Density::of(lattice, std::move(bricks), std::move(values), {});
      if (!density) throw Short{};
      grid.density = *density;
    } else {
      Surface skin = readSurface(r);
      if (!checkSurface(skin)) throw Short{};
      grid.skin = std::make_shared<const Surface>(std::move(skin));
    }
    file.grids.push_back(std::move(grid));
  }
  return file;
}

}  // namespace

Result<void> writeOutcome(const ImportOutcome& outcome, const std::string& path) {
  Writer w;
  w.number<std::uint8_t>(outcome.failure ? 0 : outcome.surface ? 1 : outcome.volumes ? 3 : 2);
  if (outcome.failure) w.note(*outcome.failure);
  w.number<std::uint64_t>(outcome.warnings.size());
  for (const Problem& p : outcome.warnings) w.note(p);
  w.number<std::uint64_t>(outcome.files.size());
  for (const ReadFile& f : outcome.files) {
    w.text(f.path);
    w.number(f.hash);
  }
  if (outcome.surface) write(w, *outcome.surface);
  if (outcome.volumes) write(w, *outcome.volumes);
  if (outcome.image) {
    w.bytes.reserve(w.bytes.size() + outcome.image->values.size() * sizeof(float) + 64);
    w.number(outcome.image->width);
    w.number(outcome.image->height);
    w.number(outcome.image->channels);
    w.number(outcome.image->bitsPerChannel);
    w.array(outcome.image->values);
    w.array(outcome.image->missing);
  }
  SafeFile file(path);
  const std::array<std::uint64_t, 2> head{kMagic, XXH3_64bits(w.bytes.data(), w.bytes.size())};
  file.write(head.data(), sizeof head);
  file.write(w.bytes);
  return file.commit();
}

Result<ImportOutcome> readOutcome(const std::string& path) {
  const auto bytes = readWhole(path, std::size_t{16} << 30);
  if (!bytes) return Failure(bytes.error());
  const Failure damaged = fail(ProblemCode::FileUnreadable, "the cached copy is damaged", {}, path);
  std::array<std::uint64_t, 2> head{};
  if (bytes->size() < sizeof head) return damaged;
  std::memcpy(head.data(), bytes->data(), sizeof head);
  const std::string_view body = std::string_view(*bytes).substr(sizeof head);
  if (head[0] != kMagic || head[1] != XXH3_64bits(body.data(), body.size())) return damaged;
  try {
    Reader r(body);
    ImportOutcome outcome;
    const auto type = r.number<std::uint8_t>();
    if (type == 0) outcome.failure = r.note();
    for (auto n = r.number<std::uint64_t>(); n > 0; --n) outcome.warnings.push_back(r.note());
    for (auto n = r.number<std::uint64_t>(); n > 0; --n) {
      ReadFile f;
      f.path = r.text();
      f.hash = r.number<std::uint64_t>();
      outcome.files.push_back(std::move(f));
    }
    if (type == 1) {
      Surface s = readSurface(r);
      if (auto ok = checkSurface(s); !ok) return Failure(ok.error());
      outcome.surface = std::make_shared<const Surface>(std::move(s));
    }
    if (type == 3) outcome.volumes = std::make_shared<const VolumeFile>(readVolumes(r));
    if (type == 2) {
      auto image = std::make_shared<Image>();
      image->width = r.number<int>();
      image->height = r.number<int>();
      image->channels = r.number<int>();
      image->bitsPerChannel = r.number<int>();
      r.array(image->values);
      r.array(image->missing);
      if (image->width < 1 || image->height < 1 || image->channels < 1 ||
          image->values.size() != static_cast<std::size_t>(image->width) * static_cast<std::size_t>(image->height) *
                                      static_cast<std::size_t>(image->channels))
        return damaged;
      // Whoever makes holes goes by these without asking.
      const auto& missing = image->missing;
      if (std::adjacent_find(missing.begin(), missing.end(), std::greater_equal<>()) != missing.end() ||
          (!missing.empty() && missing.back() >= image->values.size() / static_cast<std::size_t>(image->channels)))
        return damaged;
      outcome.image = image;
    }
    return outcome;
  } catch (const Short&) { return damaged; }
}

}  // namespace arvesk
