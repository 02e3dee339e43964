#include "core/spatial/rooms.h"

#include "core/base/task.h"
#include "core/spatial/prop_room.h"

#include <ccd/ccd.h>
#include <algorithm>

namespace arvesk {
namespace {

constexpr float kThinnest = 5e-4F;  // m: half of what has no thickness of its own

/// Of things that touch, rounding would make some meet: each room gives up what nobody sees.
float slackOf(float half) { return std::min(5e-5F, 5e-4F * half); }

float leastOf(const Vec3& v) { return std::min({v.x, v.y, v.z}); }

double squared(double v) { return v * v; }

}  // namespace

/// A convex body as the farthest of its points along any direction: a box, an ellipsoid, or the hull of corners, grown
/// by a ball.
struct ConvexRoom {
  enum class Kind { Box, Ellipse, Hull };
  Kind kind = Kind::Box;
  DVec3 middle{0};
  glm::dmat3 axes{1};  // world from own
  DVec3 half{0};       // of corners: what they are multiplied with
  const HullPiece* piece = nullptr;
  double grown = 0;     // m
  double radius = 0;    // m: of a ball that holds it
  bool isFlat = false;  // only its shadow counts: it reaches through all heights

  DVec3 farthest(DVec3 along) const {
    const double up = along.y;
    if (isFlat) along.y = 0;
    const DVec3 own = glm::transpose(axes) * along;
    DVec3 best(0);
    switch (kind) {
      case Kind::Box:
        best = {std::copysign(half.x, own.x), std::copysign(half.y, own.y), std::copysign(half.z, own.z)};
        break;
      case Kind::Ellipse: {
        const DVec3 scaled = half * own;
        const double length = glm::length(scaled);
        if (length > 0) best = half * scaled / length;
        break;
      }
      case Kind::Hull: {
        const Vec3 by = half * own;
        float most = std::numeric_limits<float>::lowest();
        const Vec3* corner = &piece->middle;
        for (const Vec3& c : piece->corners)
          if (const float reach = glm::dot(c, by); reach > most) {
            most = reach;
            corner = &c;
          }
        best = half * DVec3(*corner - piece->middle);
        break;
      }
    }
    DVec3 out = middle + axes * best;
    if (const double length = glm::length(along); grown > 0 && length > 0) out += along * (grown / length);
    if (isFlat) out.y = up < 0 ? -1 : 1;
    return out;
  }
};

namespace {

void farthestFor(const void* room, const ccd_vec3_t* along, ccd_vec3_t* out) {
  const DVec3 p = static_cast<const ConvexRoom*>(room)->farthest({along->v[0], along->v[1], along->v[2]});
  ccdVec3Set(out, p.x, p.y, p.z);
}

/// Gilbert, Johnson, Keerthi, "A fast procedure for computing the distance between complex objects in three-dimensional
/// space", 1988; the library is libccd.
bool convexMeet(const ConvexRoom& a, const ConvexRoom& b) {
  DVec3 d = b.middle - a.middle;
  if (a.isFlat) d.y = 0;
  if (glm::dot(d, d) >= squared(a.radius + b.radius)) return false;
  // Moved near the origin, so that world coordinates of any size cost no digits.
  ConvexRoom near = a;
  ConvexRoom other = b;
  near.middle = DVec3(0);
  other.middle = d;
  ccd_t how;
  CCD_INIT(&how);
  how.support1 = &farthestFor;
  how.support2 = &farthestFor;
  how.max_iterations = 200;
  return ccdGJKIntersect(&near, &other, &how) != 0;
}

/// The matrix whose quadratic form is 1 on the surface of an ellipsoid, inverted; of its shadow, the part in x and z.
glm::dmat3 spreadOf(const Quat& turn, const Vec3& half) {
  const glm::dmat3 axes = glm::dmat3(glm::mat3_cast(turn));
  glm::dmat3 scaled = axes;
  for (int k = 0; k < 3; ++k) scaled[k] *= static_cast<double>(half[k]);
  return scaled * glm::transpose(scaled);
}

}  // namespace

void Rooms::add(const Points& points) {
  const auto add = [&](Rooms& to, std::size_t i) {
    static const PropPtr none;
    const std::int32_t prop = points.kit ? points.prop[i] : kNoProp;
    to.add(prop == kNoProp ? none : points.kit->entries[static_cast<std::size_t>(prop)].prop, points.footprint[i],
           points.position[i], points.orientation[i], points.size[i]);
  };
  if (m_rule.shape == RoomShape::Mesh) {  // hulls are numbered one after the other
    m_rooms.reserve(m_rooms.size() + points.count);
    for (std::size_t i = 0; i < points.count; ++i) {
      endIfStoppedAt(i);
      add(*this, i);
    }
    return;
  }
  const std::size_t first = m_rooms.size();
  m_rooms.resize(first + points.count);
  parallelPieces({}, points.count, 16'384, [&](std::size_t begin, std::size_t end) {
    Rooms part(m_rule);
    part.m_rooms.reserve(end - begin);
    for (std::size_t i = begin; i < end; ++i) add(part, i);
    std::copy(part.m_rooms.begin(), part.m_rooms.end(), m_rooms.begin() + static_cast<std::ptrdiff_t>(first + begin));
  });
}

void Rooms::add(const PropPtr& prop, float footprint, const Vec3& position, const Quat& turn, const Vec3& size) {
  const float grows = 0.5F * m_rule.gap;
  Room out{position, turn, Vec3(0), 0, kNone};
  const bool isBall = !prop || prop->isMissing || m_rule.shape == RoomShape::Disc || prop->surface->positions.empty();
  if (isBall) {
    const float own = footprint < 0 && prop ? prop->footprint : footprint;
    float half = m_rule.factor * own * std::max(std::abs(size.x), std::abs(size.z));
    half += grows - slackOf(half);
    if (half > 0) out = {position, Quat(1, 0, 0, 0), Vec3(half), half, kEllipse};
    m_rooms.push_back(out);
    return;
  }
  if (prop.get() != m_lastProp) {
    m_lastRoom = roomOf(*prop, m_rule.of, m_rule.shape == RoomShape::Mesh);
    m_lastProp = prop.get();
  }
  const PropRoom& room = *m_lastRoom;
  const float wider = room.footprint > 0 && footprint >= 0 ? footprint / room.footprint : 1;
  const Vec3 sized = std::abs(wider - 1) < 1e-4F ? size : size * Vec3(wider, 1, wider);
  const Vec3 by = m_rule.factor * glm::abs(sized);
  out.middle = position + turn * (sized * room.middle);
  out.half = glm::max(by * room.half, Vec3(kThinnest));
  if (m_rule.shape == RoomShape::Mesh) {
    float reach = 0;
    for (const HullPiece& piece : room.pieces)
      reach = std::max(reach, glm::distance(piece.middle, room.middle) + piece.radius);
    out.half += std::max(grows, 0.0F);
    // What was cut at the top of a base may look out of the box about its corners.
    if (m_rule.of == Footprint::Base) out.half = Vec3(reach * std::max({by.x, by.y, by.z}) + std::max(grows, 0.0F));
    out.radius = reach * std::max({by.x, by.y, by.z}) + std::max(grows, 0.0F);
    if (!room.pieces.empty() && m_rule.factor > 0) {
      out.hulls = static_cast<std::int32_t>(m_hulls.size());
      m_hulls.push_back({m_lastRoom, position, sized});
    }
    m_rooms.push_back(out);
    return;
  }
  for (int k = 0; k < 3; ++k) out.half[k] += grows - slackOf(out.half[k]);
  out.radius = glm::length(out.half);
  if (out.half.x > 0 && out.half.z > 0 && (out.half.y > 0 || m_rule.isFromAbove) && m_rule.factor > 0) {
    out.half.y = std::max(out.half.y, kThinnest);
    out.hulls = m_rule.shape == RoomShape::Box ? kBox : kEllipse;
  }
  m_rooms.push_back(out);
}

Array<PointGrid::Entry> Rooms::balls() const {
  Array<PointGrid::Entry> out(m_rooms.size());
  parallelPieces({}, out.size(), 16'384, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) out[i] = ball(static_cast<std::uint32_t>(i));
  });
  return out;
}

bool Rooms::meets(std::uint32_t first, const Rooms& others, std::uint32_t second) const {
  const Room& a = m_rooms[first];
  const Room& b = others.m_rooms[second];
  if (a.hulls == kNone || b.hulls == kNone) return false;
  Vec3 d = b.middle - a.middle;
  if (m_rule.isFromAbove) d.y = 0;
  const float reach = a.radius + b.radius;
  const float apart = glm::dot(d, d);
  if (apart >= reach * reach) return false;
  // Balls within both that meet say it at once. Of hulls there is none that is known.
  const float within = leastOf(a.half) + leastOf(b.half);
  if (a.hulls < 0 && b.hulls < 0 && apart < within * within) return true;
  if (a.hulls == kBox && b.hulls == kBox) return m_rule.isFromAbove ? boxShadowsMeet(a, b) : boxesMeet(a, b);
  if (a.hulls == kEllipse && b.hulls == kEllipse) return ellipsesMeet(a, b);
  if (a.hulls >= 0 && b.hulls >= 0 && !(m_rule.isFromAbove ? boxShadowsMeet(a, b) : boxesMeet(a, b))) return false;
  return hullsMeet(a, others, b);
}

/// No axis along the sides of either nor across two of them parts them (Gottschalk, Lin, Manocha, "OBBTree", 1996).
bool Rooms::boxesMeet(const Room& a, const Room& b) const {
  const Mat3 axesA = glm::mat3_cast(a.turn);
  const Mat3 axesB = glm::mat3_cast(b.turn);
  const Vec3 t = (b.middle - a.middle) * axesA;  // in the space of a
  float r[3][3];                                 // axis of a, axis of b
  float lean[3][3];
  for (int i = 0; i < 3; ++i)
    for (int j = 0; j < 3; ++j) {
      r[i][j] = glm::dot(axesA[i], axesB[j]);
      lean[i][j] = std::abs(r[i][j]);
    }
  for (int i = 0; i < 3; ++i)
    if (std::abs(t[i]) >= a.half[i] + b.half.x * lean[i][0] + b.half.y * lean[i][1] + b.half.z * lean[i][2])
      return false;
  for (int j = 0; j < 3; ++j)
    if (std::abs(t.x * r[0][j] + t.y * r[1][j] + t.z * r[2][j]) >=
        b.half[j] + a.half.x * lean[0][j] + a.half.y * lean[1][j] + a.half.z * lean[2][j])
      return false;
  for (int i = 0; i < 3; ++i)
    for (int j = 0; j < 3; ++j) {
      if (lean[i][j] > 0.99999F) continue;  // nearly along each other: their sides have spoken
      const int i1 = (i + 1) % 3;
      const int i2 = (i + 2) % 3;
      const int j1 = (j + 1) % 3;
      const int j2 = (j + 2) % 3;
      const float holds = a.half[i1] * lean[i2][j] + a.half[i2] * lean[i1][j] + b.half[j1] * lean[i][j2] +
                          b.half[j2] * lean[i][j1];
      if (std::abs(t[i2] * r[i1][j] - t[i1] * r[i2][j]) >= holds) return false;
    }
  return true;
}

/// The same of their shadows: these are polygons whose sides run along the shadows of the axes.
bool Rooms::boxShadowsMeet(const Room& a, const Room& b) const {
  std::array<Vec2, 6> sides;
  for (int k = 0; k < 3; ++k) {
    const Mat3 axesA = glm::mat3_cast(a.turn);
    const Mat3 axesB = glm::mat3_cast(b.turn);
    sides[static_cast<std::size_t>(k)] = a.half[k] * Vec2(axesA[k].x, axesA[k].z);
    sides[static_cast<std::size_t>(k) + 3] = b.half[k] * Vec2(axesB[k].x, axesB[k].z);
  }
  const Vec2 d(b.middle.x - a.middle.x, b.middle.z - a.middle.z);
  for (const Vec2& side : sides) {
    const float length = glm::length(side);
    if (length < 1e-6F) continue;
    const Vec2 across(-side.y / length, side.x / length);
    float holds = 0;
    for (const Vec2& s : sides) holds += std::abs(glm::dot(s, across));
    if (std::abs(glm::dot(d, across)) >= holds) return false;
  }
  return true;
}

/// They are apart when the largest of their contact function over λ in 0…1 is at least 1; it is concave (Perram,
/// Wertheim, "Statistical mechanics of hard ellipsoids", 1985).
bool Rooms::ellipsesMeet(const Room& a, const Room& b) const {
  const glm::dmat3 spreadA = spreadOf(a.turn, a.half);
  const glm::dmat3 spreadB = spreadOf(b.turn, b.half);
  const DVec3 d = DVec3(b.middle) - DVec3(a.middle);
  const auto contact = [&](double l) {
    const glm::dmat3 m = (1 - l) * spreadA + l * spreadB;
    if (m_rule.isFromAbove) {
      const double det = m[0][0] * m[2][2] - m[0][2] * m[0][2];
      return l * (1 - l) * (m[2][2] * d.x * d.x - 2 * m[0][2] * d.x * d.z + m[0][0] * d.z * d.z) / det;
    }
    return l * (1 - l) * glm::dot(d, glm::inverse(m) * d);
  };
  // By golden section (Kiefer, "Sequential minimax search for a maximum", 1953).
  const double golden = 0.5 * (std::sqrt(5.0) - 1);
  double from = 0;
  double to = 1;
  double low = to - golden * (to - from);
  double high = from + golden * (to - from);
  double atLow = contact(low);
  double atHigh = contact(high);
  for (int turn = 0; turn < 32; ++turn) {
    if (atLow >= 1 || atHigh >= 1) return false;
    if (atLow > atHigh) {
      to = high;
      high = low;
      atHigh = atLow;
      low = to - golden * (to - from);
      atLow = contact(low);
    } else {
      from = low;
      low = high;
      atLow = atHigh;
      high = from + golden * (to - from);
      atHigh = contact(high);
    }
  }
  return true;
}

std::vector<ConvexRoom> Rooms::convexOf(const Room& room) const {
  std::vector<ConvexRoom> out;
  if (room.hulls == kNone) return out;
  ConvexRoom body;
  body.axes = glm::dmat3(glm::mat3_cast(room.turn));
  body.isFlat = m_rule.isFromAbove;
  if (room.hulls < 0) {
    body.kind = room.hulls == kBox ? ConvexRoom::Kind::Box : ConvexRoom::Kind::Ellipse;
    body.middle = DVec3(room.middle);
    body.half = DVec3(room.half);
    body.radius = static_cast<double>(room.radius);
    out.push_back(body);
    return out;
  }
  const HullPlace& place = m_hulls[static_cast<std::size_t>(room.hulls)];
  const float grows = 0.5F * m_rule.gap;
  const Vec3 by = glm::abs(place.size);
  body.kind = ConvexRoom::Kind::Hull;
  body.grown = static_cast<double>(std::max(grows, 0.0F));
  for (const HullPiece& piece : place.room->pieces) {
    const float thinnest = piece.thinnest * m_rule.factor * std::min({by.x, by.y, by.z});
    float share = 1 - (thinnest > 0 ? std::min(5e-5F / thinnest, 5e-4F) : 5e-4F);
    if (grows < 0) share += thinnest > 0 ? grows / thinnest : -1;
    if (share <= 0) continue;
    const Vec3 middle = place.room->middle + m_rule.factor * (piece.middle - place.room->middle);
    body.piece = &piece;
    body.middle = DVec3(place.position) + body.axes * DVec3(place.size * middle);
    body.half = DVec3(place.size) * static_cast<double>(share * m_rule.factor);
    body.radius = static_cast<double>(piece.radius * share * m_rule.factor * std::max({by.x, by.y, by.z})) + body.grown;
    out.push_back(body);
  }
  return out;
}

bool Rooms::hullsMeet(const Room& a, const Rooms& others, const Room& b) const {
  const std::vector<ConvexRoom> ofA = convexOf(a);
  const std::vector<ConvexRoom> ofB = others.convexOf(b);
  for (const ConvexRoom& one : ofA)
    for (const ConvexRoom& other : ofB)
      if (convexMeet(one, other)) return true;
  return false;
}

namespace {

/// How far b would have to go along the unit vector `way` to be out of a.
double wayOut(const ConvexRoom& a, const ConvexRoom& b, const DVec3& way) {
  return glm::dot(a.farthest(way) - b.farthest(-way), way);
}

/// The least of it over ways: those of both bodies' axes, from middle to middle, and some over the sphere; then nearer
/// and nearer around the best (a compass search: Kolda, Lewis, Torczon, "Optimization by direct search", 2003).
double shortestWayOut(const ConvexRoom& a, const ConvexRoom& b) {
  double least = std::numeric_limits<double>::max();
  DVec3 best(0, 1, 0);
  const auto attempt = [&](const DVec3& way) {
    const double length = glm::length(way);
    if (length < 1e-9) return false;
    const double out = wayOut(a, b, way / length);
    if (out >= least) return false;
    least = out;
    best = way / length;
    return true;
  };
  attempt(b.middle - a.middle);
  for (const glm::dmat3& axes : {a.axes, b.axes})
    for (int k = 0; k < 3; ++k)
      for (const double sign : {1.0, -1.0}) attempt(sign * axes[k]);
  for (const double y : {-0.6, 0.0, 0.6})
    for (int k = 0; k < 8; ++k) {
      const double around = 2 * std::numbers::pi * k / 8;
      attempt({std::cos(around), y, std::sin(around)});
    }
  for (double step = 0.3; step > 0.01;) {
    const DVec3 side = glm::normalize(glm::cross(best, std::abs(best.y) < 0.9 ? DVec3(0, 1, 0) : DVec3(1, 0, 0)));
    const DVec3 other = glm::cross(best, side);
    const DVec3 from = best;
    if (!attempt(from + step * side) && !attempt(from - step * side) && !attempt(from + step * other) &&
        !attempt(from - step * other))
      step /= 2;
  }
  return least;
}

}  // namespace

float Rooms::depth(std::uint32_t a, std::uint32_t b) const {
  if (!meet(a, b)) return 0;
  double deepest = 0;
  const std::vector<ConvexRoom> ofB = convexOf(m_rooms[b]);
  for (const ConvexRoom& one : convexOf(m_rooms[a]))
    for (const ConvexRoom& other : ofB)
      if (convexMeet(one, other)) deepest = std::max(deepest, shortestWayOut(one, other));
  return static_cast<float>(deepest);
}

std::vector<std::vector<Vec3>> Rooms::outlines(std::uint32_t i, float y) const {
  constexpr int kCorners = 48;
  std::vector<std::vector<Vec3>> out;
  for (const ConvexRoom& body : convexOf(m_rooms[i])) {
    std::vector<Vec3> line;
    for (int k = 0; k <= kCorners; ++k) {
      const double angle = 2 * std::numbers::pi * k / kCorners;
      const DVec3 p = body.farthest({std::cos(angle), 0, std::sin(angle)});
      const Vec3 place(static_cast<float>(p.x), y, static_cast<float>(p.z));
      if (line.empty() || glm::distance(line.back(), place) > 1e-4F) line.push_back(place);
    }
    out.push_back(std::move(line));
  }
  return out;
}

}  // namespace arvesk
