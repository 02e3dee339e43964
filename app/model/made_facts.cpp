#include "app/model/made_facts.h"

#include "app/model/words.h"
#include "app/window/share_text.h"
#include "core/geometry/prop.h"
#include "core/spatial/volume.h"

#include <QCoreApplication>
#include <QLocale>

#include <algorithm>
#include <cmath>

namespace arvesk {
namespace {

QString tr(const char* s) { return QCoreApplication::translate("MadeFacts", s); }
QString count(std::size_t n) { return QLocale().toString(static_cast<qulonglong>(n)); }
QString number(double v, int digits) {
  return QLocale().toString(v, 'f', digits).replace(QLatin1Char('-'), QChar(0x2212));
}

/// Least, middle and most of some numbers.
QString spread(std::vector<float>& values, int digits, const QString& unit) {
  if (values.empty()) return {};
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  const auto [least, most] = std::minmax_element(values.begin(), values.end());
  const auto of = [&](float v) { return number(static_cast<double>(v), digits) + unit; };
  if (of(*least) == of(*most)) return of(*least);
  return tr("%1 to %2, half below %3").arg(of(*least), of(*most), of(*middle));
}

void ofPoints(const Points& p, const Task& task, std::vector<Fact>& out) {
  std::vector<float> size(p.count);
  std::vector<float> lean(p.count);
  std::map<std::int32_t, std::size_t> props;
  Box3 box;
  for (std::size_t i = 0; i < p.count; ++i) {
    if ((i & 0xFFFFU) == 0 && task.isCancelled()) return;
    const Vec3 s = glm::abs(p.size[i]);
    size[i] = std::max({s.x, s.y, s.z});
    const Vec3 up = p.orientation[i] * kUp;
    lean[i] = glm::degrees(std::acos(std::clamp(up.y, -1.0F, 1.0F)));
    ++props[p.prop[i]];
    box.add(p.position[i]);
  }
  if (p.count == 0) return;
  const Vec3 extent = box.extent();
  out.push_back(
      {tr("Over"), QStringLiteral("%1 × %2 m")
                       .arg(number(static_cast<double>(extent.x), 1), number(static_cast<double>(extent.z), 1))});
  out.push_back(
      {tr("Heights"),
       tr("%1 to %2 m").arg(number(static_cast<double>(box.min.y), 2), number(static_cast<double>(box.max.y), 2))});
  out.push_back({tr("Size"), spread(size, 2, {})});
  out.push_back({tr("Lean"), spread(lean, 0, QStringLiteral("°"))});
  if (!p.kit) return;
  std::vector<std::pair<std::size_t, std::int32_t>> most;
  for (const auto& [prop, n] : props)
    if (prop >= 0 && static_cast<std::size_t>(prop) < p.kit->entries.size()) most.push_back({n, prop});
  std::sort(most.begin(), most.end(),
            [](const auto& a, const auto& b) { return a.first != b.first ? a.first > b.first : a.second < b.second; });
  QStringList names;
  for (std::size_t i = 0; i < std::min<std::size_t>(4, most.size()); ++i)
    names << QStringLiteral("%1 %2").arg(text(p.kit->entries[static_cast<std::size_t>(most[i].second)].prop->name),
                                         shareText(static_cast<double>(most[i].first) / static_cast<double>(p.count)));
  if (most.size() > 4) names << tr("%1 more").arg(most.size() - 4);
  if (!names.isEmpty()) out.push_back({tr("Props"), names.join(QStringLiteral(" · "))});
}

void ofBox(const Box3& box, std::vector<Fact>& out) {
  const auto meters = [](float v, int digits) { return number(static_cast<double>(v), digits); };
  const Vec3 extent = box.isEmpty() ? Vec3(0) : box.extent();
  out.push_back({tr("Extent"),
                 QStringLiteral("%1 × %2 × %3 m").arg(meters(extent.x, 1), meters(extent.y, 1), meters(extent.z, 1))});
  if (!box.isEmpty()) out.push_back({tr("Heights"), tr("%1 to %2 m").arg(meters(box.min.y, 2), meters(box.max.y, 2))});
}

}  // namespace

PointsPtr givenTo(const Plan& plan, const Evaluation& evaluation, const Node& node) {
  const NodeKind* kind = kindOf(node);
  if (!kind || kind->inputs.empty() || kind->inputs.front().type != ValueType::Points) return nullptr;
  const auto links = node.inputs.find(kind->inputs.front().id);
  if (links == node.inputs.end()) return nullptr;
  for (const Link& l : links->second) {
    const Node* source = plan.find(l.node);
    const NodeKind* from = source ? kindOf(*source) : nullptr;
    const int at = from ? from->outputIndex(l.output) : -1;
    const auto values = evaluation.values.find(l.node);
    if (at < 0 || values == evaluation.values.end() || values->second.size() <= static_cast<std::size_t>(at)) continue;
    if (const auto* p = std::get_if<PointsPtr>(&values->second[static_cast<std::size_t>(at)]); p && *p) return *p;
  }
  return nullptr;
}

std::vector<Fact> factsOf(const Evaluation& evaluation, const std::string& uid, const Task& task) {
  std::vector<Fact> out;
  const auto report = evaluation.reports.find(uid);
  if (const PointsPtr p = evaluation.firstOf<PointsPtr>(uid)) {
    const std::size_t given = report == evaluation.reports.end() ? 0 : report->second.given;
    out.push_back({tr("Points"), given > 0 && given != p->count ? tr("%1 of %2").arg(count(p->count), count(given))
                                                                : count(p->count)});
    ofPoints(*p, task, out);
  } else if (const SurfacePtr s = evaluation.firstOf<SurfacePtr>(uid)) {
    out.push_back({tr("Triangles"), count(s->faceCount())});
    ofBox(s->bounds(), out);
  } else if (const VolumePtr volume = evaluation.firstOf<VolumePtr>(uid)) {
    ofBox(volume->bounds(), out);
  } else if (const KitPtr kit = evaluation.firstOf<KitPtr>(uid)) {
    double sum = 0;
    for (const KitEntry& e : kit->entries) sum += static_cast<double>(e.weight);
    out.push_back({tr("Props"), count(kit->entries.size())});
    for (std::size_t i = 0; i < std::min<std::size_t>(8, kit->entries.size()); ++i) {
      const KitEntry& e = kit->entries[i];
      out.push_back({text(e.prop->name), sum > 0 ? shareText(static_cast<double>(e.weight) / sum) : QString()});
    }
  }
  return out;
}

}  // namespace arvesk
