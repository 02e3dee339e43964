// What the Bench has of sub-plans: a use's own row, and bringing controls of nodes inside to the front.
#include "app/bench/bench_view.h"
#include "app/bench/form.h"
#include "app/bench/front_drag.h"
#include "app/model/words.h"
#include "app/plan/path_line.h"

#include <QHBoxLayout>
#include <QMenu>
#include <QToolButton>

namespace arvesk {

void BenchView::openParamMenu(const ParamSpec& spec, const QPoint& at) {
  QMenu menu(this);
  menu.addAction(tr("Restore default"), this, [this, spec] { m_model->setParam(m_uids, spec.id, spec.defaultValue); });
  addKeyActions(menu, spec);
  if (!m_model->inside().empty() && m_uids.size() == 1) {
    menu.addAction(tr("Bring to the front"), this, [this, spec] { m_model->bringToFront(m_uid, spec.id); });
    QMenu* others = menu.addMenu(tr("Set by"));
    others->setObjectName(QStringLiteral("set_by"));
    for (const FrontValue& front : m_model->plan().fronts)
      if (canSet(front.control, spec))
        others->addAction(text(front.control.label), this,
                          [this, spec, id = text(front.control.id)] { m_model->follow({m_uid}, spec.id, id); });
    others->setEnabled(!others->isEmpty());
  }
  menu.exec(at);
}

void BenchView::makeDraggable(const ParamSpec& spec, int row) {
  auto* drag = new FrontDrag(m_form->name(row), said(spec.label),
                             [this, spec](const QPoint& at) { return m_dropWords(spec, at); });
  connect(drag, &FrontDrag::left, this, &BenchView::controlLeft);
  connect(drag, &FrontDrag::dropped, this, [this, spec](const QPoint& at) { Q_EMIT controlDropped(m_uid, spec, at); });
}

/// What the sub-plan is, and what can be done about it.
void BenchView::addInstanceRow(const Node& node) {
  const std::string uid = node.subPlan;
  auto* holder = new QWidget(m_form);
  auto* row = new QHBoxLayout(holder);
  row->setContentsMargins(0, 0, 0, 0);
  const auto button = [&](const QString& words, const char* name, const QString& help) {
    auto* made = new QToolButton(holder);
    made->setText(words);
    made->setObjectName(QLatin1String(name));
    made->setToolTip(help);
    row->addWidget(made);
    return made;
  };
  connect(button(tr("Go inside"), "sub_plan_inside", tr("Shows its nodes in the Plan")), &QToolButton::clicked, this,
          [this] { Q_EMIT insideWanted(m_uid); });
  connect(
      button(tr("Keep in library"), "sub_plan_keep",
             tr("Writes it into your library, where every plan finds it; the version goes up where it was changed")),
      &QToolButton::clicked, this, [this, uid] { Q_EMIT keepWanted(uid); });
  auto* later = button({}, "sub_plan_later", {});
  connect(later, &QToolButton::clicked, this, [this, uid] { Q_EMIT laterWanted(uid); });
  row->addStretch(1);
  m_refreshers.push_back([this, later, uid] {
    later->hide();
    for (const LaterVersion& v : laterVersions(m_model->document(), m_model->library())) {
      if (v.subPlan != uid) continue;
      later->setText(tr("See version %1").arg(v.there));
      QString words = tr("The library has version %1, the plan has %2.").arg(v.there).arg(v.has);
      if (!v.news.empty()) words += QLatin1Char(' ') + text(v.news);
      for (const std::string& label : v.gone)
        words += QLatin1Char('\n') + tr("“%1” is set and is no more").arg(text(label));
      later->setToolTip(words);
      later->show();
    }
  });
  m_form->add(tr("Sub-plan"),
              tr("Its nodes are those of all of its uses; each use has values, a seed and inputs of its own"), holder,
              true);
}

}  // namespace arvesk
