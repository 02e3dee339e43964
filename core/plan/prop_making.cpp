#include "core/plan/prop_making.h"

#include "core/plan/prop_values.h"

#include <fmt/format.h>

namespace arvesk {
namespace {

Vec3 pivotOf(const Surface& s, PivotAt at) {
  const Box3 box = s.bounds();
  switch (at) {
    case PivotAt::AsMade: return Vec3(0);
    case PivotAt::BaseCenter: return {box.center().x, box.min.y, box.center().z};
    case PivotAt::Center: return box.center();
    case PivotAt::LowestPoint: {
      // The middle of all vertices within a thousandth of the height above the lowest, so that a flat foot has its
      // middle as pivot.
      Vec3 sum(0);
      float count = 0;
      const float limit = box.min.y + 0.001F * box.extent().y;
      for (const Vec3& p : s.positions)
        if (p.y <= limit) {
          sum += p;
          ++count;
        }
      return count > 0 ? Vec3(sum.x / count, box.min.y, sum.z / count) : Vec3(0);
    }
  }
  return Vec3(0);
}

}  // namespace

double likelierUnit(double unit, float largest) {
  for (const double factor : {0.01, 0.001, 0.0254, 0.3048, 100.0, 1000.0})
    if (const double extent = static_cast<double>(largest) * factor; extent >= 0.02 && extent <= 20)
      return unit * factor;
  return 0;
}

std::vector<std::string> tagsOf(const std::string& tags) {
  std::vector<std::string> out;
  for (std::size_t at = 0; at < tags.size();) {
    const std::size_t end = std::min(tags.find(' ', at), tags.size());
    if (end > at) out.push_back(tags.substr(at, end - at));
    at = end + 1;
  }
  return out;
}

Result<PropPtr> makePlanProp(const PropEntry& entry, const Surface& file, const Surface* light,
                             std::vector<Problem>* warnings, const Task& task) {
  const auto inMeters = [&](const Surface& of) {
    return transformed(of, Vec3(0), entry.isZUp ? glm::angleAxis(-kPi / 2, Vec3(1, 0, 0)) : Quat(1, 0, 0, 0),
                       static_cast<float>(entry.unitScale));
  };
  const auto own = entry.partBy == PartBy::Whole ? Result<Surface>() : cutOut(file, entry.partBy, entry.part);
  if (!own) return Failure(own.error());
  Surface s = inMeters(entry.partBy == PartBy::Whole ? file : *own);
  if (entry.creaseDeg >= 0) s = withCreases(s, static_cast<float>(entry.creaseDeg));
  double size = entry.size;
  if (const double height = static_cast<double>(s.bounds().extent().y); entry.commonHeight > 0 && height > 1e-6)
    size *= entry.commonHeight / height;
  const Quat turn = turnOf(entry.turnDeg);
  if (size != 1 || entry.turnDeg != Vec3(0)) s = transformed(s, Vec3(0), turn, static_cast<float>(size));
  const Vec3 pivot = pivotOf(s, entry.pivot);
  if (pivot != Vec3(0)) s = transformed(s, -pivot, Quat(1, 0, 0, 0), 1);
  if (auto ok = checkSurface(s); !ok) return Failure(ok.error());
  const Vec3 extent = s.bounds().extent();
  if (const float largest = std::max({extent.x, extent.y, extent.z}); largest > kUnlikelySize && !entry.isLargeMeant) {
    const double unit = likelierUnit(entry.unitScale, largest);
    return fail(ProblemCode::UnlikelySize,
                fmt::format("would be {:.4g} m {}; it is left out until you say what is meant", largest,
                            largest == extent.y ? "high" : "wide"),
                (unit > 0 ? fmt::format("Set its unit ({:g} m makes it {:.2g} m), or", unit,
                                        static_cast<double>(largest) * unit / entry.unitScale)
                          : std::string("Set its unit or size, or")) +
                    " say in the Kit that it is meant so large");
  }
  std::vector<Problem> unsaid;
  addValues(s, entry.values, warnings ? *warnings : unsaid, task);
  const auto prop = makeProp(entry.uid, entry.name, std::make_shared<const Surface>(std::move(s)));
  if (entry.footprint > 0) prop->footprint = static_cast<float>(entry.footprint);
  prop->base = static_cast<float>(entry.base);
  prop->weight = static_cast<float>(entry.weight);
  prop->tags = tagsOf(entry.tags);
  for (const MountEntry& m : entry.mounts)
    prop->mounts.push_back({m.name, -1, m.position, turnOf(m.turnDeg), Vec3(static_cast<float>(m.size))});
  prop->massing = {nullptr, entry.isMassingBox, entry.massingTriangles, entry.isMassingShown};
  if (light) {
    Surface stands = transformed(inMeters(*light), -pivot, turn, static_cast<float>(size));
    prop->massing.light = std::make_shared<const Surface>(std::move(stands));
  }
  const Quat back = glm::conjugate(turn);
  const auto shrunk = static_cast<float>(1 / size);
  if (entry.isByReference && entry.partBy == PartBy::Whole) {
    Delivery by;
    by.isOwn = entry.deliveredFile.empty();
    by.file = by.isOwn ? entry.file : entry.deliveredFile;
    by.axes = entry.isZUp ? glm::angleAxis(-kPi / 2, Vec3(1, 0, 0)) : Quat(1, 0, 0, 0);
    by.unit = static_cast<float>(entry.unitScale);
    by.size = static_cast<float>(size);
    by.turn = turn;
    by.position = -pivot;
    prop->delivery = std::make_shared<const Delivery>(by);
  }
  prop->home = {back * pivot * shrunk, back, Vec3(shrunk)};
  return PropPtr(prop);
}

}  // namespace arvesk
