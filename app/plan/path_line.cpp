#include "app/plan/path_line.h"

#include "app/model/plan_model.h"
#include "app/model/words.h"
#include "app/window/elided_label.h"

#include <QHBoxLayout>
#include <QToolButton>

namespace arvesk {

PathLine::PathLine(PlanModel* model, QWidget* parent) : QWidget(parent), m_model(model), m_row(new QHBoxLayout(this)) {
  setObjectName(QStringLiteral("path_line"));
  setAccessibleName(tr("Where the Plan is"));
  m_row->setContentsMargins(6, 2, 12, 2);
  m_row->setSpacing(6);
  connect(m_model, &PlanModel::changed, this, &PathLine::rebuild);
  rebuild();
}

void PathLine::rebuild() {
  while (QLayoutItem* item = m_row->takeAt(0)) {
    if (QWidget* widget = item->widget()) {
      widget->hide();
      widget->deleteLater();  // one of them may have been clicked
    }
    delete item;
  }
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
  const SubPlan* here = m_model->document().findSubPlan(m_model->subPlanHere());
  const int uses = here ? m_model->usesOf(here->uid) : 0;
  if (uses < 2) return;
  auto* shared = new QLabel(tr("edits count for all %1 uses").arg(uses), this);
  shared->setObjectName(QStringLiteral("path_uses"));
  shared->setProperty("role", QStringLiteral("quiet"));
  m_row->addWidget(shared);
}

}  // namespace arvesk
