#include "core/props/pieces.h"

#include "core/base/hash.h"
#include "core/geometry/welding.h"
#include "core/spatial/touching.h"

#include <fmt/format.h>

#include <bit>
#include <unordered_map>

namespace arvesk {
namespace {

/// A surface that grows by pieces, vertices that are the same shared within each.
class Growing {
 public:
  Growing(const PieceOwner& owner, const Shells& shells, const Broken& broken, const PieceRule& rule)
      : m_body(*owner.surface), m_welded(weldedOf(m_body)), m_shells(shells), m_broken(broken), m_rule(rule) {
    m_materials = m_body.materials;
    if (m_materials.empty()) m_materials.push_back({});
    Material cut;
    cut.name = "cut";
    cut.baseColor = Vec4(rule.cutColor, 1);
    cut.roughness = 0.9F;
    m_materials.push_back(std::move(cut));
  }

  /// `worn`: of its places.
  void add(const BrokenPiece& piece, const std::unordered_map<std::uint32_t, Worn>& worn, const DVec3& pivot,
           std::uint16_t part) {
    m_worn = &worn;
    m_known.clear();
    m_ofSame.clear();
    m_facing.clear();
    const std::size_t first = m_positions.size();
    for (std::uint32_t t = piece.first; t < piece.first + piece.count; ++t)
      if (const BrokenTriangle& tri = m_broken.triangles[t]; tri.from == BrokenTriangle::kCut)
        m_facing[tri.beyond] += areaOf(tri);
    for (std::uint32_t t = piece.first; t < piece.first + piece.count; ++t) {
      const BrokenTriangle& tri = m_broken.triangles[t];
      // What a face is called: what it is cut out of, or lies before, in its cell; so it stays when other cells change.
      const bool isCut = tri.from == BrokenTriangle::kCut;
      const std::uint64_t of = hashOf(isCut, isCut ? cellBeyond(tri) : m_body.faceKey(m_shells.faceOf[tri.from]),
                                      piece.seed);
      m_nowKey = hashOf(of, m_ofSame[of]++);
      UVec3 corners;
      for (std::size_t k = 0; k < 3; ++k)
        corners[static_cast<int>(k)] = tri.from == BrokenTriangle::kCut ? cutCorner(tri, k, pivot)
                                                                        : skinCorner(tri, k, pivot);
      if (corners.x == corners.y || corners.y == corners.z || corners.z == corners.x) continue;
      m_triangles.push_back(corners);
      m_faceKeys.push_back(m_nowKey);
      m_faceParts.push_back(part);
      if (isCut)
        m_faceMaterials.push_back(static_cast<std::uint16_t>(m_materials.size() - 1));
      else
        m_faceMaterials.push_back(m_body.faceMaterials.empty() ? 0 : m_body.faceMaterials[m_shells.faceOf[tri.from]]);
    }
    if (!worn.empty()) turnWorn(piece, first);
    for (std::size_t v = first; v < m_positions.size(); ++v)
      if (m_cut[v] > 0) m_normals[v] = directionOr(m_normals[v], kUp);
  }

  SurfacePtr made(std::string name, std::vector<std::string> parts) {
    Surface s;
    s.name = std::move(name);
    s.positions = std::move(m_positions);
    s.triangles = std::move(m_triangles);
    if (!m_body.normals.empty()) s.normals = std::move(m_normals);
    if (!m_body.uvs.empty()) s.uvs = std::move(m_uvs);
    if (!m_body.colors.empty() || areInColors()) {
      putInColors();
      s.colors = std::move(m_colors);
    }
    s.faceMaterials = std::move(m_faceMaterials);
    s.materials = m_materials;
    s.faceKeys = std::move(m_faceKeys);
    s.vertexKeys = std::move(m_vertexKeys);
    s.vertexAttributes.insert_or_assign("cut", Column<float>(std::move(m_cut)));
    s.vertexAttributes.insert_or_assign("wear", Column<float>(std::move(m_wear)));
    if (parts.size() > 1) {
      s.faceParts = std::move(m_faceParts);
      s.arePartsObjects = true;
    }
    s.parts = std::move(parts);
    if (m_body.normals.empty()) computeSmoothNormals(s);
    s.hasOwnNormals = m_body.hasOwnNormals;
    return std::make_shared<const Surface>(std::move(s));
  }

 private:
  bool areInColors() const { return m_rule.cutChannel != Channel::None || m_rule.wearChannel != Channel::None; }
  void putInColors() {
    if (!areInColors()) return;
    const auto put = [](Vec4& color, Channel channel, float value) {
      if (channel != Channel::None) color[static_cast<int>(channel) - 1] = value;
    };
    const bool areTogether = m_rule.cutChannel == m_rule.wearChannel;
    for (std::size_t v = 0; v < m_colors.size(); ++v) {
      put(m_colors[v], m_rule.cutChannel, areTogether ? std::max(m_cut[v], m_wear[v]) : m_cut[v]);
      if (!areTogether) put(m_colors[v], m_rule.wearChannel, m_wear[v]);
    }
  }
  DVec3 lies(std::uint32_t place) const {
    const auto found = m_worn->find(place);
    return found == m_worn->end() ? m_broken.places[place] : m_broken.places[place] + found->second.offset;
  }
  float wearOf(std::uint32_t place) const {
    const auto found = m_worn->find(place);
    return found == m_worn->end() ? 0 : found->second.wear;
  }
  /// Normals where it is worn: of all that meets there, the more the nearer the edge is.
  void turnWorn(const BrokenPiece& piece, std::size_t first) {
    std::unordered_map<std::uint32_t, DVec3> sum;
    for (std::uint32_t t = piece.first; t < piece.first + piece.count; ++t)
      for (const std::uint32_t p : m_broken.triangles[t].places)
        if (m_worn->contains(p)) sum[p] += areaOf(m_broken.triangles[t]);
    for (std::size_t v = first; v < m_positions.size(); ++v) {
      if (m_wear[v] <= 0) continue;
      const Vec3 worn = directionOr(Vec3(sum.at(m_places[v])), kUp);
      m_normals[v] = directionOr(glm::mix(directionOr(m_normals[v], worn), worn, std::min(1.0F, 2 * m_wear[v])), worn);
    }
  }

  /// Twice the area, along the normal.
  DVec3 areaOf(const BrokenTriangle& tri) const {
    const auto at = [&](std::size_t k) { return lies(tri.places[k]); };
    return glm::cross(at(1) - at(0), at(2) - at(0));
  }
  std::uint64_t cellBeyond(const BrokenTriangle& tri) const {
    const BrokenPiece& piece = m_broken.pieces[tri.beyond];
    return std::uint64_t{piece.seed} << 32U | piece.part;
  }
  Vec3 placed(std::uint32_t place, const DVec3& pivot) const { return Vec3(lies(place) - pivot); }
  template <typename Make>
  std::uint32_t shared(std::uint64_t key, Make make) {
    const auto [found, isNew] = m_known.emplace(key, static_cast<std::uint32_t>(m_positions.size()));
    if (isNew) make();
    return found->second;
  }

  std::uint32_t cutCorner(const BrokenTriangle& tri, std::size_t k, const DVec3& pivot) {
    const std::uint32_t place = tri.places[k];
    const std::uint32_t corner = shared(hashOf(1, place, tri.beyond), [&] {
      // Meters along two directions of the cut.
      const Vec3 facing = directionOr(Vec3(m_facing.at(tri.beyond)), kUp);
      const Vec3 u = glm::normalize(glm::cross(std::abs(facing.y) < 0.9F ? kUp : Vec3(1, 0, 0), facing));
      const Vec3 p = placed(place, pivot);
      put(place, p, Vec3(0), {glm::dot(p, u), glm::dot(p, glm::cross(facing, u))}, Vec4(1), 1, k);
    });
    m_normals[corner] += Vec3(areaOf(tri));
    return corner;
  }

  std::uint32_t skinCorner(const BrokenTriangle& tri, std::size_t k, const DVec3& pivot) {
    const UVec3& face = m_body.triangles[m_shells.faceOf[tri.from]];
    const std::uint32_t place = tri.places[k];
    if (place < m_welded->vertex.size())
      for (int c = 0; c < 3; ++c)
        if (m_welded->place[face[c]] == place)
          return shared(hashOf(2, face[c]), [&] {
            const std::uint32_t v = face[c];
            put(place, m_worn->contains(place) ? placed(place, pivot) : Vec3(DVec3(m_body.positions[v]) - pivot),
                m_body.normals.empty() ? Vec3(0) : m_body.normals[v], m_body.uvs.empty() ? Vec2(0) : m_body.uvs[v],
                m_body.colors.empty() ? Vec4(1) : m_body.colors[v], 0, k);
          });
    // Between the corners of its face, as the shells list them: turned round, maybe.
    const UVec3& listed = m_shells.triangles[tri.from];
    Vec3 weights(1 - tri.weights[k].x - tri.weights[k].y, tri.weights[k].x, tri.weights[k].y);
    if (m_shells.list[m_shells.shellOf[tri.from]].isTurned) std::swap(weights.y, weights.z);
    Vec3 own(0);
    for (int c = 0; c < 3; ++c)
      for (int l = 0; l < 3; ++l)
        if (m_welded->place[face[c]] == listed[l]) own[c] = weights[l];
    const auto mix = [&](const auto& values) {
      return values[face.x] * own.x + values[face.y] * own.y + values[face.z] * own.z;
    };
    const Vec3 normal = m_body.normals.empty()
                            ? Vec3(0)
                            : directionOr(mix(m_body.normals), m_body.faceNormal(m_shells.faceOf[tri.from]));
    const Vec2 uv = m_body.uvs.empty() ? Vec2(0) : mix(m_body.uvs);
    const auto bits = [](float f) { return static_cast<std::uint64_t>(std::bit_cast<std::uint32_t>(f)); };
    const std::uint64_t key = hashOf(3, place, bits(normal.x) << 32U | bits(normal.y), bits(normal.z),
                                     bits(uv.x) << 32U | bits(uv.y));
    return shared(key, [&] {
      put(place, placed(place, pivot), normal, uv, m_body.colors.empty() ? Vec4(1) : mix(m_body.colors), 0, k);
    });
  }

  void put(std::uint32_t place, const Vec3& p, const Vec3& normal, const Vec2& uv, const Vec4& color, float cut,
           std::size_t corner) {
    m_positions.push_back(p);
    m_normals.push_back(normal);
    m_uvs.push_back(uv);
    m_colors.push_back(color);
    m_cut.push_back(cut);
    m_wear.push_back(wearOf(place));
    m_places.push_back(place);
    m_vertexKeys.push_back(hashOf(m_nowKey, corner));
  }

  const Surface& m_body;
  std::shared_ptr<const Welded> m_welded;
  const Shells& m_shells;
  const Broken& m_broken;
  const PieceRule& m_rule;
  std::vector<Material> m_materials;
  std::unordered_map<std::uint64_t, std::uint32_t> m_known;
  Array<Vec3> m_positions;
  Array<Vec3> m_normals;
  Array<Vec2> m_uvs;
  Array<Vec4> m_colors;
  std::unordered_map<std::uint64_t, std::uint64_t> m_ofSame;
  std::unordered_map<std::uint32_t, DVec3> m_facing;  // of the cuts toward each other piece, summed
  std::uint64_t m_nowKey = 0;
  const std::unordered_map<std::uint32_t, Worn>* m_worn = nullptr;
  Array<float> m_cut;
  Array<float> m_wear;
  std::vector<std::uint32_t> m_places;  // of the vertices
  Array<std::uint64_t> m_faceKeys;
  Array<std::uint64_t> m_vertexKeys;
  Array<UVec3> m_triangles;
  Array<std::uint16_t> m_faceMaterials;
  Array<std::uint16_t> m_faceParts;
};

/// m², of the closed shells.
double areaOf(const Shells& shells) {
  double sum = 0;
  for (std::size_t t = 0; t < shells.triangles.size(); ++t) {
    if (!shells.list[shells.shellOf[t]].isClosed) continue;
    const UVec3& v = shells.triangles[t];
    const DVec3 a(shells.positions[v.x]);
    sum += 0.5 * glm::length(glm::cross(DVec3(shells.positions[v.y]) - a, DVec3(shells.positions[v.z]) - a));
  }
  return sum;
}

DVec3 pivotOf(const BrokenPiece& piece, const Broken& broken, PiecePivot pivot) {
  if (pivot == PiecePivot::Home) return DVec3(0);
  DVec3 at = piece.center;
  if (pivot == PiecePivot::Base)
    for (std::uint32_t t = piece.first; t < piece.first + piece.count; ++t)
      for (const std::uint32_t p : broken.triangles[t].places) at.y = std::min(at.y, broken.places[p].y);
  return DVec3(Vec3(at));  // homes are floats: what is taken off here comes back as it was
}

std::vector<std::string> namesOf(const PieceOwner& owner, const Broken& broken) {
  std::vector<std::string> out;
  const std::string letter = owner.variant == 0 ? std::string()
                                                : std::string(1, static_cast<char>('a' + owner.variant));
  for (const BrokenPiece& piece : broken.pieces)
    out.push_back(fmt::format("{}/{}{}{}", owner.name, letter, piece.seed + 1,
                              piece.part > 0 ? fmt::format("-{}", piece.part + 1) : std::string()));
  return out;
}

/// Of each piece, with those that are not left out, by name.
std::vector<std::vector<PieceOf::Contact>> contactsOf(const Broken& broken, const PieceRule& rule,
                                                      const std::vector<std::string>& names) {
  std::vector<std::vector<PieceOf::Contact>> out(broken.pieces.size());
  for (const BrokenContact& c : broken.contacts) {
    if (broken.pieces[c.a].volume < rule.smallest || broken.pieces[c.b].volume < rule.smallest) continue;
    out[c.a].push_back({names[c.b], static_cast<float>(c.area)});
    out[c.b].push_back({names[c.a], static_cast<float>(c.area)});
  }
  for (auto& of : out) std::sort(of.begin(), of.end(), [](const auto& a, const auto& b) { return a.name < b.name; });
  return out;
}

}  // namespace

double closedVolume(const Surface& closed) {
  double sum = 0;
  for (const UVec3& t : closed.triangles)
    sum += glm::dot(DVec3(closed.positions[t.x]),
                    glm::cross(DVec3(closed.positions[t.y]), DVec3(closed.positions[t.z]))) /
           6;
  return sum;
}

KitPtr asPiecesOf(const Kit& kit, const std::string& owner, const std::string& ownerName, double gap,
                  const Task& task) {
  Points home;
  home.count = kit.entries.size();
  home.kit = std::make_shared<const Kit>(kit);
  Array<Vec3> position;
  Array<Quat> turn;
  Array<Vec3> size;
  Array<std::int32_t> prop;
  for (const KitEntry& e : kit.entries) {
    position.push_back(e.prop->home.position);
    turn.push_back(e.prop->home.turn);
    size.push_back(e.prop->home.size);
    prop.push_back(static_cast<std::int32_t>(prop.size()));
  }
  home.position = std::move(position);
  home.orientation = std::move(turn);
  home.size = std::move(size);
  home.prop = std::move(prop);
  std::vector<PlacedMesh> meshes(home.count);
  for (std::size_t i = 0; i < home.count; ++i) {
    endIfStopped();
    meshes[i] = placedMesh(home, i);
  }
  std::vector<std::vector<PieceOf::Contact>> contacts(home.count);
  for (const Touch& touch : touchesOf(task, meshes, gap))
    for (const auto& [a, b] : {std::pair(touch.a, touch.b), std::pair(touch.b, touch.a)}) {
      // Areas are told at size 1, as those of pieces are.
      const Vec3 its = glm::abs(kit.entries[a].prop->home.size);
      contacts[a].push_back(
          {kit.entries[b].prop->name, static_cast<float>(touch.area) / std::pow(its.x * its.y * its.z, 2.0F / 3)});
    }
  Kit out;
  for (std::size_t i = 0; i < home.count; ++i) {
    const Prop& whole = *kit.entries[i].prop;
    if (whole.isMissing) {
      out.entries.push_back(kit.entries[i]);
      continue;
    }
    auto made = std::make_shared<Prop>(whole);
    const auto volume = openEdges(*whole.surface).empty() ? static_cast<float>(closedVolume(*whole.surface)) : 0.0F;
    made->piece = std::make_shared<const PieceOf>(
        PieceOf{owner, ownerName, 0, whole.home.position, volume, std::move(contacts[i]), owner});
    out.entries.push_back({std::move(made), kit.entries[i].weight});
  }
  return std::make_shared<const Kit>(std::move(out));
}

Result<Pieces> piecesOf(const PieceOwner& owner, const std::vector<DVec3>& seeds, const PieceRule& rule,
                        const Task& task) {
  Shells shells = shellsOf({owner.surface});
  turnOutward(shells, task);
  auto broken = breakUp(shells, seeds, rule.shape);
  if (!broken) return Failure(broken.error());
  if (rule.groups.areAny()) joinCells(*broken, rule.groups);
  if (const auto shaped = shapeCuts(*broken, rule.cuts, rule.mostTriangles); !shaped) return Failure(shaped.error());
  Pieces out;
  for (const Shell& shell : shells.list) ++(shell.isClosed ? out.shells : out.openShells);
  out.volume = broken->volume;
  out.thickness = 2 * broken->volume / areaOf(shells);
  Growing whole(owner, shells, *broken, rule);
  const std::vector<std::string> all = namesOf(owner, *broken);
  const auto contacts = contactsOf(*broken, rule, all);
  std::vector<std::string> names;
  for (std::size_t k = 0; k < all.size(); ++k) {
    endIfStopped();
    const BrokenPiece& piece = broken->pieces[k];
    if (piece.volume < rule.smallest) {
      ++out.slivers;
      out.sliverVolume += piece.volume;
      continue;
    }
    const std::string& name = all[k];
    const DVec3 pivot = pivotOf(piece, *broken, rule.pivot);
    Growing alone(owner, shells, *broken, rule);
    const auto worn = wornPlaces(*broken, static_cast<std::uint32_t>(k), rule.cuts.wear);
    alone.add(piece, worn, pivot, 0);
    const std::string within = owner.variant == 0 ? owner.uid : fmt::format("{}/v{}", owner.uid, owner.variant);
    auto prop = makeProp(fmt::format("{}/{}/{}", within, piece.seed, piece.part), name, alone.made(name, {}));
    const double left = worn.empty() ? piece.volume : closedVolume(*prop->surface);
    out.pieceVolume += left;
    prop->piece = std::make_shared<const PieceOf>(
        PieceOf{owner.of, owner.name, owner.variant, Vec3(pivot), static_cast<float>(left), contacts[k], within});
    prop->tags = owner.tags;
    prop->home = owner.home;
    prop->home.position += owner.home.turn * (owner.home.size * Vec3(pivot));
    out.props.push_back(std::move(prop));
    if (names.size() < 0xFFFF) whole.add(piece, worn, DVec3(0), static_cast<std::uint16_t>(names.size()));
    names.push_back(name);
  }
  if (names.size() > 0xFFFF)
    return fail(ProblemCode::TooMany,
                fmt::format("there are {} pieces, and a surface has 65,535 parts at most", names.size()),
                "Lower the count");
  out.whole = whole.made(owner.name, std::move(names));
  return out;
}

}  // namespace arvesk
