#include "core/geometry/motion.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace arvesk {
namespace {

using Track = Motion::Track;

/// Of the values of a track at `seconds`, `width` numbers into `out` (glTF 2.0, 3.11 and appendix C).
void valuesAt(const Track& track, double seconds, std::size_t width, double* out) {
  const bool isCurved = track.between == Track::Between::Curved;
  const std::size_t row = width * (isCurved ? 3 : 1);
  const auto at = [&](std::size_t key, std::size_t part, std::size_t c) {
    return static_cast<double>(track.values[key * row + (isCurved ? part * width : 0) + c]);
  };
  const auto copy = [&](std::size_t key) {
    for (std::size_t c = 0; c < width; ++c) out[c] = at(key, 1, c);
  };
  const auto next = std::upper_bound(track.times.begin(), track.times.end(), seconds,
                                     [](double t, float key) { return t < static_cast<double>(key); });
  if (next == track.times.begin()) return copy(0);
  const auto b = static_cast<std::size_t>(next - track.times.begin());
  if (b == track.times.size() || track.between == Track::Between::Held) return copy(b - 1);
  const double from = track.times[b - 1];
  const double span = static_cast<double>(track.times[b]) - from;
  const double t = (seconds - from) / span;
  if (isCurved) {
    const double t2 = t * t;
    const double t3 = t2 * t;
    for (std::size_t c = 0; c < width; ++c)
      out[c] = (2 * t3 - 3 * t2 + 1) * at(b - 1, 1, c) + span * (t3 - 2 * t2 + t) * at(b - 1, 2, c) +
               (3 * t2 - 2 * t3) * at(b, 1, c) + span * (t3 - t2) * at(b, 0, c);
    return;
  }
  if (track.of == Track::Of::Turn) {
    const auto turn = [&](std::size_t key) {
      return glm::normalize(glm::dquat(at(key, 0, 3), at(key, 0, 0), at(key, 0, 1), at(key, 0, 2)));
    };
    const glm::dquat q = glm::slerp(turn(b - 1), turn(b), t);  // the short way
    out[0] = q.x, out[1] = q.y, out[2] = q.z, out[3] = q.w;
    return;
  }
  for (std::size_t c = 0; c < width; ++c) out[c] = at(b - 1, 0, c) * (1 - t) + at(b, 0, c) * t;
}

/// Sums of the normals of the faces around each vertex, by area.
std::vector<Vec3> aroundVertices(const Surface& s, std::uint32_t first, std::size_t count) {
  std::vector<Vec3> out(count, Vec3(0));
  for (const UVec3& t : s.triangles) {
    if (t.x < first || t.x - first >= count) continue;
    const Vec3 n = glm::cross(s.positions[t.y] - s.positions[t.x], s.positions[t.z] - s.positions[t.x]);
    for (int k = 0; k < 3; ++k)
      if (t[k] >= first && t[k] - first < count) out[t[k] - first] += n;
  }
  return out;
}

bool isNumber(const glm::dmat4& m) {
  for (int c = 0; c < 4; ++c)
    for (int r = 0; r < 4; ++r)
      if (!std::isfinite(m[c][r])) return false;
  return true;
}

bool hasNormalsOf(const Motion::Part& part) {
  return std::all_of(part.shapes.begin(), part.shapes.end(),
                     [](const Motion::Shape& s) { return s.by.empty() || !s.normalBy.empty(); });
}

}  // namespace

std::size_t Motion::Track::width() const {
  switch (of) {
    case Of::Place:
    case Of::Size: return 3;
    case Of::Turn: return 4;
    case Of::Shares: break;
  }
  return times.empty() ? 0 : values.size() / times.size() / (between == Between::Curved ? 3 : 1);
}

float Motion::Clip::length() const {
  float out = 0;
  for (const Track& track : tracks)
    if (!track.times.empty()) out = std::max(out, track.times.back());
  return out;
}

void Motion::countBytes(ByteCounter& counter) const {
  std::size_t own = sizeof(Motion) + nodes.size() * (sizeof(Joint) + sizeof(std::int32_t));
  for (const Clip& clip : clips)
    for (const Track& track : clip.tracks) own += sizeof(Track) + (track.times.size() + track.values.size()) * 4;
  for (const Skin& skin : skins) own += skin.joints.size() * 4 + skin.fromBind.size() * sizeof(glm::dmat4);
  if (!counter.add(this, own)) return;
  for (const Part& part : parts) {
    part.positions.countBytes(counter);
    part.normals.countBytes(counter);
    part.joints.countBytes(counter);
    part.weights.countBytes(counter);
    for (const Shape& shape : part.shapes) shape.by.countBytes(counter), shape.normalBy.countBytes(counter);
  }
}

Result<void> Motion::check(std::size_t vertexCount, std::size_t nodeCount) const {
  const auto wrong = [](std::string what) {
    return fail(ProblemCode::FileUnreadable, "its motion is damaged: " + std::move(what), "Export the file again");
  };
  if (nodes.size() != nodeCount || parents.size() != nodeCount) return wrong("its nodes are not those of the file");
  for (std::size_t i = 0; i < nodeCount; ++i)
    if (parents[i] < -1 || parents[i] >= static_cast<std::int32_t>(i)) return wrong("a node comes before its parent");
  for (const Clip& clip : clips)
    for (const Track& track : clip.tracks) {
      const std::size_t width = track.width();
      const std::size_t rows = track.times.size() * (track.between == Track::Between::Curved ? 3 : 1);
      if (track.node >= nodeCount || track.times.empty() || width == 0 || track.values.size() != rows * width)
        return wrong(fmt::format("a track of \"{}\" has no node, or not as many values as times", clip.name));
      if (track.of == Track::Of::Shares && width != nodes[track.node].shares.size())
        return wrong(fmt::format("a track of \"{}\" mixes more shapes than there are", clip.name));
      for (std::size_t k = 0; k < track.times.size(); ++k)
        if (!std::isfinite(track.times[k]) || (k > 0 && track.times[k] < track.times[k - 1]))
          return wrong(fmt::format("the times of \"{}\" go back", clip.name));
      for (const float v : track.values)
        if (!std::isfinite(v)) return wrong(fmt::format("a value of \"{}\" is no number", clip.name));
    }
  for (const Skin& skin : skins) {
    if (skin.joints.size() != skin.fromBind.size() || skin.joints.size() > 0xffff)
      return wrong("a skin has not as many matrices as joints");
    for (const std::uint32_t joint : skin.joints)
      if (joint >= nodeCount) return wrong("a skin has a joint that is not there");
    for (const glm::dmat4& m : skin.fromBind)
      if (!isNumber(m)) return wrong("a matrix of a skin is no number");
  }
  for (const Part& part : parts) {
    const std::size_t count = part.positions.size();
    if (part.first > vertexCount || count > vertexCount - part.first || part.node >= nodeCount)
      return wrong("a part has vertices or a node that are not there");
    if (!part.normals.empty() && part.normals.size() != count) return wrong("a part has not a normal for each vertex");
    if (part.shapes.size() > nodes[part.node].shares.size()) return wrong("a part has shapes without shares");
    for (const Shape& shape : part.shapes)
      if ((!shape.by.empty() && shape.by.size() != count) ||
          (!shape.normalBy.empty() && shape.normalBy.size() != count))
        return wrong("a shape has not as many vertices as its part");
    if (part.skin < 0) continue;
    if (static_cast<std::size_t>(part.skin) >= skins.size() || part.joints.size() != count * part.perVertex ||
        part.weights.size() != part.joints.size())
      return wrong("a part has not as many joints as its skin asks for");
    const std::size_t joints = skins[static_cast<std::size_t>(part.skin)].joints.size();
    for (const std::uint16_t joint : part.joints)
      if (joint >= joints) return wrong("a vertex follows a joint that is not there");
  }
  return {};
}

Pose poseOf(const Motion& motion, const std::vector<std::uint32_t>& which, double seconds) {
  std::vector<Motion::Joint> nodes = motion.nodes;
  std::vector<double> v;
  for (const std::uint32_t clip : which)
    for (const Track& track : motion.clips[clip].tracks) {
      Motion::Joint& node = nodes[track.node];
      const std::size_t width = track.width();
      v.resize(std::max<std::size_t>(4, width));
      valuesAt(track, seconds, width, v.data());
      if (track.of != Track::Of::Shares) node.matrix.reset();
      switch (track.of) {
        case Track::Of::Place: node.place = Vec3(v[0], v[1], v[2]); break;
        case Track::Of::Size: node.size = Vec3(v[0], v[1], v[2]); break;
        case Track::Of::Turn: {
          const glm::dquat turn(v[3], v[0], v[1], v[2]);
          if (glm::length(turn) > 1e-12) node.turn = Quat(glm::normalize(turn));
          break;
        }
        case Track::Of::Shares:
          for (std::size_t k = 0; k < width; ++k) node.shares[k] = static_cast<float>(v[k]);
          break;
      }
    }
  Pose pose;
  pose.nodes.resize(nodes.size());
  for (std::size_t i = 0; i < nodes.size(); ++i) {
    glm::dmat4 own = nodes[i].matrix.value_or(glm::dmat4(1));
    if (!nodes[i].matrix) {
      own = glm::mat4_cast(glm::dquat(nodes[i].turn));
      for (int c = 0; c < 3; ++c) own[c] *= static_cast<double>(nodes[i].size[c]);
      own[3] = glm::dvec4(glm::dvec3(nodes[i].place), 1);
    }
    const std::int32_t parent = motion.parents[i];
    pose.nodes[i] = parent < 0 ? own : pose.nodes[static_cast<std::size_t>(parent)] * own;
    pose.shares.push_back(std::move(nodes[i].shares));
  }
  return pose;
}

void posePart(const Motion& motion, const Motion::Part& part, const Pose& pose, const Task& task, Vec3* positions,
              Vec3* normals) {
  const std::vector<float>& shares = pose.shares[part.node];
  std::vector<glm::dmat4> bones;
  if (part.skin >= 0) {
    const Motion::Skin& skin = motion.skins[static_cast<std::size_t>(part.skin)];
    for (std::size_t j = 0; j < skin.joints.size(); ++j) bones.push_back(pose.nodes[skin.joints[j]] * skin.fromBind[j]);
  }
  const bool movesNormals = normals && !part.normals.empty();
  const glm::dmat4& world = pose.nodes[part.node];
  const glm::dmat3 worldNormal = glm::transpose(glm::inverse(glm::dmat3(world)));
  parallelPieces(task, part.positions.size(), 4096, [&](std::size_t begin, std::size_t end) {
    for (std::size_t i = begin; i < end; ++i) {
      Vec3 place = part.positions[i];
      Vec3 normal = part.normals.empty() ? Vec3(0) : part.normals[i];
      for (std::size_t k = 0; k < part.shapes.size(); ++k) {
        if (shares[k] == 0) continue;
        if (!part.shapes[k].by.empty()) place += shares[k] * part.shapes[k].by[i];
        if (!part.shapes[k].normalBy.empty()) normal += shares[k] * part.shapes[k].normalBy[i];
      }
      glm::dmat4 m = world;
      if (!bones.empty()) {
        glm::dmat4 sum(0);
        double total = 0;
        for (std::uint32_t k = 0; k < part.perVertex; ++k) {
          const std::size_t at = i * part.perVertex + k;
          const auto weight = static_cast<double>(part.weights[at]);
          if (weight == 0) continue;
          sum += weight * bones[part.joints[at]];
          total += weight;
        }
        if (total > 0) m = sum / total;  // who follows none of them stays with the node
      }
      const Vec3 moved(m * glm::dvec4(glm::dvec3(place), 1));
      positions[part.first + i] = isFinite(moved) ? moved : Vec3(0);
      if (!movesNormals) continue;
      const glm::dmat3 turn = bones.empty() ? worldNormal : glm::transpose(glm::inverse(glm::dmat3(m)));
      const Vec3 turned(turn * glm::dvec3(normal));
      normals[part.first + i] = isFinite(turned) ? directionOr(turned, kUp) : kUp;
    }
  });
}

Surface posed(const Surface& surface, const Motion& motion, const std::vector<std::uint32_t>& which, double seconds,
              const Task& task) {
  const Pose pose = poseOf(motion, which, seconds);
  Surface out = surface;
  out.motion = nullptr;
  out.rest = surface.positions;
  Array<Vec3>& positions = out.positions.edit();
  Array<Vec3>* normals = surface.hasOwnNormals && !surface.normals.empty() ? &out.normals.edit() : nullptr;
  for (const Motion::Part& part : motion.parts)
    posePart(motion, part, pose, task, positions.data(), normals ? normals->data() : nullptr);
  for (const Motion::Part& part : motion.parts) {
    if (!normals || (!part.normals.empty() && hasNormalsOf(part))) continue;
    // Its shapes say nothing of normals: they turn as the faces around do.
    const std::vector<Vec3> before = aroundVertices(surface, part.first, part.positions.size());
    const std::vector<Vec3> after = aroundVertices(out, part.first, part.positions.size());
    for (std::size_t i = 0; i < before.size(); ++i)
      (*normals)[part.first + i] = shortestTurn(directionOr(before[i], kUp), directionOr(after[i], kUp)) *
                                   surface.normals[part.first + i];
  }
  if (!normals) {
    out.normals.clear();
    computeSmoothNormals(out);
  }
  for (std::size_t i = 0; i < out.nodes.size(); ++i) {
    SceneNode moved = sceneNodeOf(out.nodes[i].name, out.nodes[i].parent, pose.nodes[i]);
    moved.values = std::move(out.nodes[i].values);
    out.nodes[i] = std::move(moved);
  }
  return out;
}

}  // namespace arvesk
