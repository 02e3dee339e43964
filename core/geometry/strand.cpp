#include "core/geometry/strand.h"

#include <algorithm>

namespace arvesk {

std::vector<Vec3> hangingLine(const Vec3& from, const Vec3& to, double length, std::size_t segments) {
  segments = std::max<std::size_t>(1, segments);
  std::vector<Vec3> out(segments + 1);
  const DVec3 a(from);
  const DVec3 b(to);
  const double distance = glm::distance(a, b);
  const auto straight = [&] {
    for (std::size_t i = 0; i <= segments; ++i)
      out[i] = Vec3(a + (b - a) * (static_cast<double>(i) / static_cast<double>(segments)));
    out.back() = to;
    return out;
  };
  if (length <= distance * (1 + 1e-6) || length <= 0) return straight();
  const double rise = b.y - a.y;
  // A loop as narrow as a ten-thousandth of it looks as one that hangs straight down, and can be worked out.
  const double width = std::max(std::hypot(b.x - a.x, b.z - a.z), 1e-4 * length);
  // sinh(x)/x = ratio has one solution above 0; from the right side Newton's steps never overshoot it.
  const double ratio = std::sqrt(std::max(length * length - rise * rise, width * width)) / width;
  double x = ratio < 3 ? std::sqrt(6 * (ratio - 1)) : std::log(2 * ratio) + std::log(std::log(2 * ratio) + 1) + 1;
  for (int i = 0; i < 60 && x > 1e-9; ++i) {
    const double step = (std::sinh(x) - ratio * x) / (std::cosh(x) - ratio);
    x -= step;
    if (std::abs(step) < 1e-13 * x) break;
  }
  if (!(x > 1e-6) || !std::isfinite(x)) return straight();
  const double scale = width / (2 * x);
  // The lowest place, measured along from the start: s(u) = scale · sinh((u − lowest) / scale) is the length there.
  const double lowest = 0.5 * width - scale * std::atanh(std::clamp(rise / length, -1 + 1e-15, 1 - 1e-15));
  const auto lengthAt = [&](double u) { return scale * std::sinh((u - lowest) / scale); };
  const auto heightAt = [&](double u) { return scale * std::cosh((u - lowest) / scale); };
  const double lengthFrom = lengthAt(0);
  const double lengthTo = lengthAt(width);
  for (std::size_t i = 0; i <= segments; ++i) {
    const double s = lengthFrom + (lengthTo - lengthFrom) * static_cast<double>(i) / static_cast<double>(segments);
    const double u = lowest + scale * std::asinh(s / scale);
    const double share = u / width;
    // Over its true width: it ends where it should though the loop was widened to be worked out.
    out[i] = Vec3(DVec3(a.x + (b.x - a.x) * share, a.y + heightAt(u) - heightAt(0), a.z + (b.z - a.z) * share));
  }
  out.front() = from;
  out.back() = to;
  return out;
}

double lengthOfLine(std::span<const Vec3> line) {
  double sum = 0;
  for (std::size_t i = 1; i < line.size(); ++i) sum += glm::distance(DVec3(line[i - 1]), DVec3(line[i]));
  return sum;
}

OnLine onLine(std::span<const Vec3> line, double share) {
  OnLine out;
  if (line.empty()) return out;
  out.place = line.front();
  double rest = std::clamp(share, 0.0, 1.0) * lengthOfLine(line);
  for (std::size_t i = 0; i + 1 < line.size(); ++i) {
    const double own = glm::distance(DVec3(line[i]), DVec3(line[i + 1]));
    if (own > 0) out.along = glm::normalize(line[i + 1] - line[i]);
    if (rest <= own || i + 2 == line.size()) {
      out.place = own > 0 ? glm::mix(line[i], line[i + 1], static_cast<float>(std::min(rest / own, 1.0))) : line[i];
      return out;
    }
    rest -= own;
  }
  return out;
}

std::size_t triangleCount(const Tube& t) { return 2 * t.sides * (t.line.size() - 1) + 2 * (t.sides - 2); }

namespace {

/// Rings of one more vertex than sides, so that u can go around, and the two ends' own.
std::size_t vertexCount(const Tube& t) { return (t.sides + 1) * t.line.size() + 2 * t.sides; }

void fill(const Tube& t, std::size_t vertex, std::size_t face, Array<Vec3>& positions, Array<Vec3>& normals,
          Array<Vec2>& uvs, Array<UVec3>& triangles, Array<std::uint64_t>& faceKeys, Array<std::uint64_t>& vertexKeys) {
  const std::size_t rings = t.line.size();
  const auto key = [&](std::size_t i) {
    return (mix64(t.key) & 0xffffffff00000000ULL) | static_cast<std::uint32_t>(i);
  };
  const std::size_t firstVertex = vertex;
  const std::size_t firstFace = face;
  const auto tangentAt = [&](std::size_t i) {
    const Vec3 before = i > 0 ? t.line[i] - t.line[i - 1] : Vec3(0);
    const Vec3 after = i + 1 < rings ? t.line[i + 1] - t.line[i] : Vec3(0);
    return directionOr(directionOr(before, Vec3(0)) + directionOr(after, Vec3(0)), Vec3(0, 0, 1));
  };
  const auto total = static_cast<float>(std::max(lengthOfLine(t.line), 1e-9));
  const float around = 2 * kPi * std::max(0.5F * (t.radiusFrom + t.radiusTo), 1e-6F);
  Vec3 tangent = tangentAt(0);
  bool isParallel = false;
  Vec3 side = turnFacing(tangent, kUp, isParallel) * Vec3(0, 0, 1);
  float gone = 0;
  const auto ring = [&](std::size_t i, const Vec3& normalOr, bool isEnd) {
    const float radius = t.radiusFrom + (t.radiusTo - t.radiusFrom) * gone / total;
    const Vec3 other = glm::cross(tangent, side);
    for (std::uint32_t k = 0; k < t.sides + (isEnd ? 0U : 1U); ++k) {
      const float angle = 2 * kPi * static_cast<float>(k % t.sides) / static_cast<float>(t.sides);
      const Vec3 out = std::cos(angle) * side + std::sin(angle) * other;
      positions[vertex] = t.line[i] + radius * out;
      normals[vertex] = isEnd ? normalOr : out;
      uvs[vertex] = isEnd ? Vec2(0.5F + 0.5F * std::cos(angle), 0.5F + 0.5F * std::sin(angle))
                          : Vec2(static_cast<float>(k) / static_cast<float>(t.sides), gone / around);
      vertexKeys[vertex] = key(vertex - firstVertex);
      ++vertex;
    }
  };
  const auto triangle = [&](std::size_t a, std::size_t b, std::size_t c) {
    triangles[face] = UVec3(static_cast<std::uint32_t>(a), static_cast<std::uint32_t>(b),
                            static_cast<std::uint32_t>(c));
    faceKeys[face] = key(face - firstFace);
    ++face;
  };
  const auto end = [&](std::size_t i, bool isLast) {
    const std::size_t from = vertex;
    ring(i, isLast ? tangent : -tangent, true);
    for (std::uint32_t k = 1; k + 1 < t.sides; ++k)
      isLast ? triangle(from, from + k, from + k + 1) : triangle(from, from + k + 1, from + k);
  };
  end(0, false);
  for (std::size_t i = 0; i < rings; ++i) {
    if (i > 0) {
      gone += glm::distance(t.line[i - 1], t.line[i]);
      const Vec3 next = tangentAt(i);
      side = directionOr(shortestTurn(tangent, next) * side, side);
      side = directionOr(side - next * glm::dot(side, next), side);
      tangent = next;
    }
    const std::size_t from = vertex;
    ring(i, Vec3(0), false);
    if (i == 0) continue;
    const std::size_t before = from - (t.sides + 1);
    for (std::uint32_t k = 0; k < t.sides; ++k) {
      triangle(before + k, before + k + 1, from + k);
      triangle(before + k + 1, from + k + 1, from + k);
    }
  }
  end(rings - 1, true);
}

}  // namespace

Surface tubesOf(const std::vector<Tube>& tubes, const Task& task) {
  std::vector<std::size_t> vertexAt(tubes.size() + 1, 0);
  std::vector<std::size_t> faceAt(tubes.size() + 1, 0);
  for (std::size_t i = 0; i < tubes.size(); ++i) {
    vertexAt[i + 1] = vertexAt[i] + vertexCount(tubes[i]);
    faceAt[i + 1] = faceAt[i] + triangleCount(tubes[i]);
  }
  Array<Vec3> positions(vertexAt.back());
  Array<Vec3> normals(vertexAt.back());
  Array<Vec2> uvs(vertexAt.back());
  Array<UVec3> triangles(faceAt.back());
  Array<std::uint64_t> faceKeys(faceAt.back());
  Array<std::uint64_t> vertexKeys(vertexAt.back());
  parallelPieces(task, tubes.size(), 16, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i)
      fill(tubes[i], vertexAt[i], faceAt[i], positions, normals, uvs, triangles, faceKeys, vertexKeys);
  });
  Surface s;
  s.positions = std::move(positions);
  s.normals = std::move(normals);
  s.uvs = std::move(uvs);
  s.triangles = std::move(triangles);
  s.faceKeys = std::move(faceKeys);
  s.vertexKeys = std::move(vertexKeys);
  return s;
}

}  // namespace arvesk
