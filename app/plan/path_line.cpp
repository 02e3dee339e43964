#include "app/plan/path_line.h"

#include "app/model/plan_model.h"
#include "app/model/words.h"
#include "app/window/elided_label.h"

#include <QHBoxLayout>
#include <QStyle>
#include <QToolButton>

#include <algorithm>

namespace arvesk {
namespace {

constexpr int kChipWidth = 110;  // px; longer names are shortened
constexpr int kMostHere = 220;   // px that the name of where one is gets before front controls do

bool isNumber(ParamType type) { return type == ParamType::Number || type == ParamType::Integer; }

}  // namespace

bool canSet(const FrontControl& control, const ParamSpec& spec) {
  if (isNumber(control.type) && isNumber(spec.type)) return true;
  return control.type == spec.type && control.options == spec.options && control.form == spec.form &&
         control.fileKind == spec.fileKind;
}

PathLine::PathLine(PlanModel* model, QWidget* parent) : QWidget(parent), m_model(model), m_row(new QHBoxLayout(this)) {
  setObjectName(QStringLiteral("path_line"));
  setAccessibleName(tr("Where the Plan is"));
  setAttribute(Qt::WA_StyledBackground);
  m_row->setContentsMargins(6, 2, 12, 2);
  m_row->setSpacing(6);
  setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
  connect(m_model, &PlanModel::changed, this, &PathLine::rebuild);
  rebuild();
}

void PathLine::rebuild() {
  const SubPlan* sub = m_model->document().findSubPlan(m_model->subPlanHere());
  QStringList shown = m_model->insideTitles();
  shown << QString::number(sub ? m_model->usesOf(sub->uid) : 0);
  for (const FrontValue& front : m_model->plan().fronts) shown << text(front.control.id) << text(front.control.label);
  if (shown == m_shown) return;
  m_shown = shown;
  while (QLayoutItem* item = m_row->takeAt(0)) {
    if (QWidget* widget = item->widget()) {
      widget->hide();
      widget->deleteLater();  // one of them may have been clicked
    }
    delete item;
  }
  m_chips.clear();
  m_here = nullptr;
  m_uses = nullptr;
  m_fronts = nullptr;
  setVisible(!m_model->inside().empty());
  if (m_model->inside().empty()) return;
  QStringList titles = m_model->insideTitles();
  titles.prepend(tr("Whole plan"));
  for (qsizetype i = 0; i < titles.size(); ++i) {
    if (i > 0) {
      auto* between = new QLabel(QStringLiteral("›"), this);
      between->setProperty("role", QStringLiteral("quiet"));
      m_row->addWidget(between);
    }
    if (i + 1 == titles.size()) {
      auto* here = new ElidedLabel;
      here->setText(titles[i]);
      here->setObjectName(QStringLiteral("path_here"));
      m_here = here;
      m_row->addWidget(here, 1);
      continue;
    }
    auto* step = new QToolButton(this);
    step->setText(titles[i]);
    step->setObjectName(QStringLiteral("path_%1").arg(i));
    step->setToolTip(tr("Back to %1").arg(titles[i]));
    step->setAutoRaise(true);
    connect(step, &QToolButton::clicked, this, [this, i] { m_model->leave(static_cast<std::size_t>(i)); });
    m_row->addWidget(step);
  }
  const int uses = sub ? m_model->usesOf(sub->uid) : 0;
  if (uses > 1) {
    m_uses = new QLabel(this);
    m_uses->setObjectName(QStringLiteral("path_uses"));
    m_uses->setProperty("role", QStringLiteral("quiet"));
    m_uses->setToolTip(tr("edits count for all %1 uses").arg(uses));
    m_uses->setAccessibleName(m_uses->toolTip());
    m_row->addWidget(m_uses);
  }
  addFronts();
}

void PathLine::addFronts() {
  m_fronts = new QToolButton(this);
  m_fronts->setObjectName(QStringLiteral("path_fronts"));
  m_fronts->setToolTip(
      tr("What can be set where the sub-plan is used. Drag the name of a control from the Bench here to add it."));
  connect(m_fronts, &QToolButton::clicked, this, &PathLine::frontsWanted);
  m_row->addWidget(m_fronts);
  for (const FrontValue& front : m_model->plan().fronts) {
    const FrontControl& control = front.control;
    auto* chip = new QToolButton(this);
    chip->setText(fontMetrics().elidedText(text(control.label), Qt::ElideRight, kChipWidth));
    chip->setObjectName(QStringLiteral("path_front.") + text(control.id));
    chip->setProperty("role", QStringLiteral("chip"));
    chip->setAccessibleName(text(control.label));
    chip->setToolTip(tr("%1, “%2” in formulas").arg(text(control.label), text(control.id)));
    connect(chip, &QToolButton::clicked, this, &PathLine::frontsWanted);
    m_row->addWidget(chip);
    m_chips[control.id] = chip;
  }
  arrange();
}

void PathLine::resizeEvent(QResizeEvent* event) {
  QWidget::resizeEvent(event);
  arrange();
}

void PathLine::arrange() {
  if (!m_fronts) return;
  const QMargins edges = m_row->contentsMargins();
  const auto widthOf = [&](const QWidget* w) { return w->sizeHint().width() + m_row->spacing(); };
  int room = width() - edges.left() - edges.right() - std::min(kMostHere, m_here ? m_here->sizeHint().width() : 0);
  for (int i = 0; i < m_row->count(); ++i) {
    const QWidget* w = m_row->itemAt(i)->widget();
    const bool isChip = std::any_of(m_chips.begin(), m_chips.end(), [&](const auto& c) { return c.second == w; });
    if (w && !isChip && w != m_here && w != m_fronts && w != m_uses) room -= widthOf(w);
  }
  const std::vector<FrontValue>& fronts = m_model->plan().fronts;
  const auto asks = [&](std::size_t left) {
    m_fronts->setText(fronts.empty()          ? tr("No front controls")
                      : left == 0             ? tr("Front:")
                      : left == fronts.size() ? tr("%1 front controls").arg(left)
                                              : tr("%1 more in front:").arg(left));
    return widthOf(m_fronts);
  };
  if (m_uses) {  // the name of where one is comes before whole words
    m_uses->setText(m_uses->toolTip());
    if (widthOf(m_uses) + asks(fronts.size()) > room)
      m_uses->setText(tr("for all %1 uses").arg(m_model->usesOf(m_model->subPlanHere())));
    room -= widthOf(m_uses);
  }
  std::size_t shown = fronts.size();
  const auto needed = [&](std::size_t count) {
    int all = asks(fronts.size() - count);
    for (std::size_t i = 0; i < count; ++i) all += widthOf(m_chips.at(fronts[i].control.id));
    return all;
  };
  while (shown > 0 && needed(shown) > room) --shown;
  asks(fronts.size() - shown);
  for (std::size_t i = 0; i < fronts.size(); ++i) m_chips.at(fronts[i].control.id)->setVisible(i < shown);
}

bool PathLine::isOver(const QPoint& at) const { return isVisible() && rect().contains(mapFromGlobal(at)); }

std::string PathLine::frontAt(const ParamSpec& spec, const QPoint& at) const {
  for (const FrontValue& front : m_model->plan().fronts) {
    const auto chip = m_chips.find(front.control.id);
    if (chip == m_chips.end() || !chip->second->isVisible() || !canSet(front.control, spec)) continue;
    if (chip->second->rect().contains(chip->second->mapFromGlobal(at))) return front.control.id;
  }
  return {};
}

QString PathLine::showDrag(const ParamSpec& spec, const QPoint& at) {
  setProperty("role", isOver(at) ? QStringLiteral("drop") : QStringLiteral("offer"));
  style()->polish(this);
  if (!isOver(at)) return tr("drop it on the line over the Plan");
  const std::string id = frontAt(spec, at);
  for (const FrontValue& front : m_model->plan().fronts)
    if (front.control.id == id) return tr("set by “%1” too").arg(text(front.control.label));
  return tr("a front control");
}

void PathLine::endDrag() {
  setProperty("role", QString());
  style()->polish(this);
}

void PathLine::drop(const QString& node, const ParamSpec& spec, const QPoint& at) {
  const bool isHere = isOver(at);
  const std::string id = frontAt(spec, at);
  endDrag();
  if (!isHere) return;
  if (id.empty())
    m_model->bringToFront(node, spec.id);
  else
    m_model->follow({node}, spec.id, text(id));
}

}  // namespace arvesk
