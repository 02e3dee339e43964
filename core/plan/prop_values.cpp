#include "core/plan/prop_values.h"

#include "core/geometry/welding.h"
#include "core/masks/place_masks.h"

#include <fmt/format.h>

namespace arvesk {
namespace {

constexpr int kRays = 96;     // of openness, per vertex
constexpr int kSamples = 32;  // of hollows
constexpr float kFar = 1e6F;  // m

/// The measured quantities are the masks' own; how they become 0 to 1 is the value's.
constexpr Band kAll{-2 * kFar, -kFar, kFar, 2 * kFar};

class Vertices {
 public:
  Vertices(const Surface& s, const Task& task) : m_task(task) {
    m_at.count = s.positions.size();
    m_at.position = Column<Vec3>(Array<Vec3>(s.positions.begin(), s.positions.end()));
    Surface shape;
    shape.positions = s.positions;
    shape.triangles = s.triangles;
    shape.normals = s.normals;
    if (shape.normals.empty()) computeSmoothNormals(shape);
    m_at.groundNormal = Column<Vec3>(Array<Vec3>(shape.normals.begin(), shape.normals.end()));
    m_shape = std::make_shared<const Surface>(std::move(shape));
  }

  Array<float> measured(const ValueEntry& v, const std::function<void(std::string, std::string)>& tell) const {
    const Box3 box = m_shape->bounds();
    const auto reach = static_cast<float>(v.reach);
    switch (v.by) {
      case ValueBy::Height: return of([](const Vec3& p) { return p.y; });
      case ValueBy::HeightShare: {
        const float height = box.extent().y;
        if (height < 1e-6F) tell("it has no height to take a share of", "Measure it by something else");
        return of([&](const Vec3& p) { return height < 1e-6F ? 0 : (p.y - box.min.y) / height; });
      }
      case ValueBy::PivotDistance: return of([](const Vec3& p) { return glm::length(p); });
      case ValueBy::Facing: {
        const float length = glm::length(v.direction);
        if (length < 1e-6F) tell("its direction has no length; up is taken", "Give it a direction, such as 0 1 0");
        return by(*makeFacingMask(nullptr, length < 1e-6F ? kUp : v.direction / length, false, kAll, {}));
      }
      case ValueBy::Hollows: return by(*makeHollowsMask(m_shape, reach, kSamples, kAll, {}));
      case ValueBy::Openness: return by(*makeOpennessMask(m_shape, {}, kRays, reach, true, kAll, {}, m_task));
      case ValueBy::EdgeDistance: {
        const auto degrees = static_cast<float>(v.edgeDeg);
        if (edgesOver(*m_shape, degrees).empty())
          tell(fmt::format("it has no open edge and none where faces meet at more than {:g}°", v.edgeDeg),
               "Take a smaller angle, or measure it by something else");
        DistanceRule rule;
        rule.isToOpenEdges = true;
        rule.edgeDeg = degrees;
        return by(*makeDistanceMask({}, m_shape, rule, kFar, kAll, {}, m_task));
      }
    }
    return {};
  }

 private:
  template <typename Get>
  Array<float> of(Get&& get) const {
    Array<float> out(m_at.count);
    for (std::size_t i = 0; i < m_at.count; ++i) out[i] = get(m_at.position[i]);
    return out;
  }
  Array<float> by(const Mask& mask) const {
    Array<float> out(m_at.count);
    parallelPieces(m_task, m_at.count, 1024,
                   [&](std::size_t begin, std::size_t end) { mask.measure(m_at, begin, end, out.data() + begin); });
    return out;
  }

  const Task& m_task;
  Points m_at;
  SurfacePtr m_shape;
};

/// 0 at one end, 1 at the other, even between; where both are one number, a step there.
float between(const ValueEntry& v, float measured) {
  const auto zero = static_cast<float>(v.zeroAt);
  const auto one = static_cast<float>(v.oneAt);
  if (zero == one) return measured >= one ? 1 : 0;
  return std::clamp((measured - zero) / (one - zero), 0.0F, 1.0F);
}

/// What it is called where it is told of: its name, or the channels that it goes into.
std::string calledOf(const ValueEntry& v) {
  constexpr std::array channels{"", "R", "G", "B", "A", "RGB"};
  return v.into == ValueInto::Named ? v.name : channels[static_cast<std::size_t>(v.into)];
}

/// Do both write the same numbers?
bool areOne(const ValueEntry& a, const ValueEntry& b) {
  const auto isRgb = [](ValueInto into) {
    return into == ValueInto::Red || into == ValueInto::Green || into == ValueInto::Blue;
  };
  if (a.into == ValueInto::Named || b.into == ValueInto::Named) return a.into == b.into && a.name == b.name;
  return a.into == b.into || (a.into == ValueInto::Gray && isRgb(b.into)) ||
         (b.into == ValueInto::Gray && isRgb(a.into));
}

}  // namespace

void addValues(Surface& s, const std::vector<ValueEntry>& values, std::vector<Problem>& warnings, const Task& task) {
  if (values.empty()) return;
  const Vertices vertices(s, task);
  std::set<std::string> own;
  for (const auto& [name, column] : s.vertexAttributes) own.insert(name);
  for (std::size_t k = 0; k < values.size(); ++k) {
    const ValueEntry& v = values[k];
    const auto tell = [&](std::string what, std::string advice) {
      warnings.push_back({ProblemCode::WrongInput, Severity::Warning, calledOf(v), std::move(what), std::move(advice)});
    };
    if (v.into == ValueInto::Named && v.name.empty()) {
      tell("it has no name and is left out", "Name it, or send it into the color");
      continue;
    }
    if (std::any_of(values.begin() + static_cast<std::ptrdiff_t>(k) + 1, values.end(),
                    [&](const ValueEntry& other) { return areOne(v, other); }))
      tell("another one below writes the same; that one holds", "Give each a name or a channel of its own");
    if (v.into == ValueInto::Named && own.erase(v.name) > 0)
      tell("the file has a value of that name; this one takes its place", "Give it another name to keep both");
    const Doing doing(task, fmt::format("measuring {}", calledOf(v)));
    Array<float> numbers = vertices.measured(v, tell);
    endIfStopped();
    for (float& number : numbers) number = between(v, number);
    if (v.into == ValueInto::Named) {
      s.vertexAttributes.insert_or_assign(v.name, Column<float>(std::move(numbers)));
      continue;
    }
    if (s.colors.empty()) s.colors = Array<Vec4>(s.positions.size(), Vec4(1));
    Array<Vec4>& colors = s.colors.edit();
    for (std::size_t i = 0; i < colors.size(); ++i)
      if (v.into == ValueInto::Gray)
        colors[i] = Vec4(Vec3(numbers[i]), colors[i].a);
      else
        colors[i][static_cast<int>(v.into) - static_cast<int>(ValueInto::Red)] = numbers[i];
  }
}

std::optional<ValueSpan> spanOf(const Surface& s, const Column<float>& values) {
  Array<std::uint8_t> isUsed(s.positions.size(), 0);
  for (const UVec3& t : s.triangles)
    for (int c = 0; c < 3; ++c) isUsed[t[c]] = 1;
  ValueSpan out{std::numeric_limits<float>::max(), std::numeric_limits<float>::lowest(), 0};
  double sum = 0;
  std::size_t count = 0;
  for (std::size_t i = 0; i < isUsed.size(); ++i) {
    if (isUsed[i] == 0) continue;
    out.least = std::min(out.least, values[i]);
    out.most = std::max(out.most, values[i]);
    sum += static_cast<double>(values[i]);
    ++count;
  }
  if (count == 0) return std::nullopt;
  out.mean = static_cast<float>(sum / static_cast<double>(count));
  return out;
}

Column<float> channelOf(const Surface& s, int channel) {
  if (s.colors.empty()) return Column<float>(1.0F);
  Array<float> out(s.colors.size());
  for (std::size_t i = 0; i < out.size(); ++i) out[i] = s.colors[i][channel];
  return Column<float>(std::move(out));
}

}  // namespace arvesk
