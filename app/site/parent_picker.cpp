#include "app/site/parent_picker.h"

#include "app/model/front_targets.h"
#include "app/model/words.h"
#include "core/base/pattern.h"
#include "core/plan/dials.h"
#include "core/plan/keys.h"

#include <QCoreApplication>

#include <cmath>
#include <set>

namespace arvesk {
namespace {

constexpr const char* kUnder = "under";
constexpr double kNear = 14;                // px
constexpr std::size_t kMostMarkers = 4000;  // more would take longer than a frame may

bool namesParents(const NodeKind& kind, const std::string& param) { return param == kUnder && kind.names != nullptr; }

}  // namespace

std::string ParentPicker::paramOf(const PlanModel& model, const QString& uid) {
  const Node* node = model.plan().find(uid.toStdString());
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  if (!kind) return {};
  if (!node->isInstance()) return kind->findParam(kUnder) && namesParents(*kind, kUnder) ? kUnder : std::string();
  Plan document = model.document();
  for (const ParamSpec& spec : kind->params) {
    if (spec.type != ParamType::Text) continue;
    for (const FrontTarget& target : frontTargets(model.document(), node->uid, spec.id)) {
      const Node* behind = nodeBehind(document, target.node);
      const NodeKind* of = behind ? kindOf(*behind) : nullptr;
      if (of && namesParents(*of, target.param)) return spec.id;
    }
  }
  return {};
}

QString ParentPicker::hint() const {
  return QCoreApplication::translate("Site",
                                     "parents: Ctrl+click on a marker takes all below its parent, again leaves them");
}

QString ParentPicker::names() const {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  const ParamSpec* spec = kind ? kind->findParam(m_param) : nullptr;
  const auto* words = spec ? std::get_if<std::string>(&node->value(*spec)) : nullptr;
  return words ? text(*words) : QString();
}

void ParentPicker::showResults(const EvalViewPtr& view) {
  Plan plan = view->opened();
  followDials(plan, view->quality);
  const Node* node = plan.find(m_uid.toStdString());
  if (!node)
    for (const FrontTarget& target : frontTargets(*view->plan, m_uid.toStdString(), m_param))
      if (target.param == kUnder && !node) node = plan.find(target.node);
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  if (!kind) return;
  ParamMap params = node->params;
  params.erase(kUnder);
  params.erase("names");
  KeyBuilder key;
  for (const auto& [id, value] : params) {
    key.addText(id);
    key.addValue(value);
  }
  if (key.lanes[0] == m_key) return;
  m_key = key.lanes[0];
  m_markers.reset();  // those of a file before are not in this one, whether or not it can be read
  m_lit = kNone;
  m_job.ask([this, kind, params, ctx = contextOf(plan, *node), files = m_files](const Task& task) -> Worker::Answer {
    EvalContext here = ctx;
    here.task = {task.stop, {}};
    here.files = files.get();
    const auto made = kind->evaluate(here, {}, params);
    if (!made || made->empty()) return {};
    const auto* points = std::get_if<PointsPtr>(&made->front());
    return [this, markers = points ? *points : nullptr] {
      m_markers = markers;
      m_lit = kNone;
      tellChanged();
    };
  });
}

std::string ParentPicker::parentOf(std::size_t marker) const {
  const auto* under = columnOf<TextColumn>(m_markers->attributes, kUnder);
  return under ? under->at(marker) : std::string();
}

std::size_t ParentPicker::markerAt(const SitePointer& pointer, const SiteLens& lens) const {
  std::size_t nearest = kNone;
  double least = kNear;
  for (std::size_t i = 0; m_markers && i < m_markers->count; ++i)
    if (const auto at = lens.project(m_markers->position[i])) {
      const double far = std::hypot(at->x() - pointer.at.x(), at->y() - pointer.at.y());
      if (far >= least || parentOf(i).empty()) continue;
      least = far;
      nearest = i;
    }
  return nearest;
}

bool ParentPicker::press(const SitePointer& pointer, const SiteLens& lens) {
  const std::size_t marker = pointer.modifiers & Qt::ControlModifier ? markerAt(pointer, lens) : kNone;
  if (marker == kNone) return false;
  std::set<std::string> all;
  for (std::size_t i = 0; i < m_markers->count; ++i) all.insert(parentOf(i));
  const std::string words = Patterns(names().toStdString()).toggled(parentOf(marker), {all.begin(), all.end()});
  m_model->setParam(m_uid, m_param, words, QStringLiteral("%1.parents.%2").arg(m_uid).arg(++m_gesture));
  return true;
}

void ParentPicker::hover(const SitePointer& pointer, const SiteLens& lens) {
  m_lit = pointer.modifiers & Qt::ControlModifier ? markerAt(pointer, lens) : kNone;
}

void ParentPicker::paint(QPainter& painter, const SiteLens& lens) const {
  if (!m_markers) return;
  const QColor accent(0x1D, 0x5F, 0x7A);
  const std::string named = names().toStdString();
  const Patterns chosen(named);
  const std::string lit = m_lit < m_markers->count ? parentOf(m_lit) : std::string();
  std::size_t ofLit = 0;
  for (std::size_t i = 0; !lit.empty() && i < m_markers->count; ++i) ofLit += parentOf(i) == lit ? 1 : 0;
  for (std::size_t i = 0; i < std::min(m_markers->count, kMostMarkers); ++i) {
    const std::string parent = parentOf(i);
    const auto at = lens.project(m_markers->position[i]);
    if (!at || parent.empty()) continue;
    const bool isIn = !named.empty() && chosen.match(parent);
    painter.setPen(QPen(parent == lit ? Qt::white : accent, 2));
    painter.setBrush(isIn ? accent : QColor(0xFC, 0xFB, 0xF8, 200));
    painter.drawEllipse(*at, parent == lit ? 6.5 : 5, parent == lit ? 6.5 : 5);
  }
  const auto at = lit.empty() ? std::nullopt : lens.project(m_markers->position[m_lit]);
  if (!at) return;
  const QString words = QCoreApplication::translate("Site", "%1 · %2 markers").arg(text(lit)).arg(ofLit);
  const QRectF box(*at + QPointF(12, -26), QSizeF(painter.fontMetrics().horizontalAdvance(words) + 14, 22));
  painter.setPen(Qt::NoPen);
  painter.setBrush(QColor(0xFC, 0xFB, 0xF8, 235));
  painter.drawRoundedRect(box, 4, 4);
  painter.setPen(QColor(0x22, 0x22, 0x22));
  painter.drawText(box, Qt::AlignCenter, words);
}

}  // namespace arvesk
