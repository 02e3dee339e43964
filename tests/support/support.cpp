#include "tests/support/support.h"

#include "core/base/border.h"
#include "core/base/noise.h"

#include <QDir>

namespace arvesk::test {
namespace {

class RampMask final : public Mask {
 public:
  explicit RampMask(float limit) : m_limit(limit) {}
  void countBytes(ByteCounter& counter) const override { counter.add(this, sizeof(*this)); }
  void values(const Points& at, std::size_t begin, std::size_t end, float* out) const override {
    for (std::size_t i = begin; i < end; ++i)
      out[i - begin] = std::clamp(m_limit - at.position[i].x + 0.5F, 0.0F, 1.0F);
  }

 private:
  float m_limit;
};

}  // namespace

bool within(double actual, double expected, double abs, double rel) {
  const bool ok = std::abs(actual - expected) <= abs + rel * std::abs(expected);
  if (!ok) qWarning("actual %.9g, expected %.9g, allowed %.3g", actual, expected, abs + rel * std::abs(expected));
  return ok;
}

SurfacePtr hills(int n, float extent, std::uint64_t seed) {
  Surface s = makePlane(extent, extent, n);
  for (Vec3& p : s.positions.edit())
    p.y = 0.06F * extent *
          gradientNoiseScalar(p.x * 5 / extent, 0.3F, p.z * 5 / extent, static_cast<std::uint32_t>(seed));
  computeSmoothNormals(s);
  return std::make_shared<const Surface>(std::move(s));
}

SurfacePtr plane(float extent, int divisions) {
  return std::make_shared<const Surface>(makePlane(extent, extent, divisions));
}

SurfacePtr leaning(float extent, float slopeDeg) {
  return std::make_shared<const Surface>(
      transformed(makePlane(extent, extent, 4), Vec3(0), glm::angleAxis(radians(slopeDeg), Vec3(0, 0, 1)), 1));
}

Points randomPoints(std::size_t count, const Vec3& extent, float smallest, float largest, std::uint64_t seed) {
  Array<Vec3> position(count);
  Array<float> footprint(count);
  Array<std::uint64_t> id(count);
  const Draw x(seed, 0, 0, "x");
  const Draw y(seed, 0, 0, "y");
  const Draw z(seed, 0, 0, "z");
  const Draw r(seed, 0, 0, "r");
  for (std::size_t i = 0; i < count; ++i) {
    id[i] = i + 1;
    position[i] = Vec3(x.unit(i), y.unit(i), z.unit(i)) * extent;
    footprint[i] = r.between(i, smallest, largest);
  }
  Points p;
  p.count = count;
  p.position = std::move(position);
  p.footprint = std::move(footprint);
  p.id = std::move(id);
  return p;
}

std::vector<PropPtr> someProps() {
  const auto prop = [](const char* uid, Surface s) {
    return makeProp(uid, uid, std::make_shared<const Surface>(std::move(s)));
  };
  return {prop("crate", makeBox({1, 0.5F, 1})), prop("float", makeBall(0.3F, 8)),
          prop("mat", makePlane(0.4F, 0.4F, 1))};
}

KitPtr someKit() {
  auto kit = std::make_shared<Kit>();
  float weight = 1;
  for (const PropPtr& p : someProps()) kit->entries.push_back({p, weight++});
  return kit;
}

Bench::Bench()
    : files(std::make_shared<DiskFileService>(QDir(sourcePath("demo/tern-cove")).absolutePath().toStdString())) {
  ctx.planSeed = 1;
  ctx.nodeSeed = 7;
  ctx.nodeUid = hashText("node-under-test");
  ctx.files = files.get();
  ctx.props = &props;
  ctx.warnings = &warnings;
  ctx.histogram = &histogram;
  ctx.candidates = &candidates;
  ctx.now = {30, 29.0 / 24, 29.0 / 120, 24, true};
}

namespace {
/// The same inputs with every point a little to the east, half as large again.
Inputs eastward(Inputs in) {
  for (auto& [id, links] : in.links)
    for (Inputs::Link& link : links)
      if (auto* points = std::get_if<PointsPtr>(&link.value); points && *points) {
        Points moved = **points;
        Array<Vec3> position = moved.position.copied(moved.count);
        Array<Vec3> size = moved.size.copied(moved.count);
        for (Vec3& p : position) p.x += 0.25F;
        for (Vec3& s : size) s *= 1.5F;
        moved.position = std::move(position);
        moved.size = std::move(size);
        *points = std::make_shared<const Points>(std::move(moved));
      }
  return in;
}
}  // namespace

Result<Outputs> Bench::run(const std::string& kindId, const Inputs& in, const ParamMap& params) {
  const NodeKind* kind = findNodeKind(kindId);
  ARVESK_ASSERT(kind, "the test names a kind that exists");
  candidates = 0;
  warnings.clear();
  return withinBorder([&]() -> Result<Outputs> {
    const StopScope scope(ctx.task.stop);
    if (!kind->remembers || !kind->remembers(params) || ctx.before) return kind->evaluate(ctx, in, params);
    EvalContext earlier = ctx;
    MemoryPtr before;
    earlier.after = &before;
    if (const auto was = kind->evaluate(earlier, eastward(in), params); !was) return was;
    EvalContext now = ctx;
    now.before = before;
    now.sinceBefore = 1.0 / 24;
    return kind->evaluate(now, in, params);
  });
}

PointsPtr Bench::points(const std::string& kindId, const Inputs& in, const ParamMap& params) {
  const auto out = run(kindId, in, params);
  if (!out) {
    qWarning("%s", toLine(out.error()).c_str());
    return std::make_shared<const Points>();
  }
  return std::get<PointsPtr>(out->front());
}

Inputs inputs(std::initializer_list<std::pair<std::string, Value>> values) {
  Inputs in;
  std::uint64_t slot = 100;
  for (const auto& [id, value] : values) in.links[id].push_back({value, slot++});
  return in;
}

MaskPtr rampMask(float limit) { return std::make_shared<RampMask>(limit); }

QString sourcePath(const char* relative) {
  return QDir(qEnvironmentVariable("ARVESK_SOURCE_DIR")).filePath(QString::fromLatin1(relative));
}
QString binPath(const char* program) {
  return QDir(qEnvironmentVariable("ARVESK_BIN_DIR")).filePath(QString::fromLatin1(program));
}

}  // namespace arvesk::test
