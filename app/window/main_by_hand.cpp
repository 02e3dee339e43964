// What the window does with points of the hand: the brush for what is selected, taking placements over, giving them
// back.
#include "app/window/main_window.h"
#include "core/deliver/take_over.h"
#include "core/nodes/adjust/touch_ups.h"

#include <QLocale>

namespace arvesk {

void MainWindow::takeBrush(const char* job) {
  const QStringList selection = m_plan->selection();
  const Node* chosen = selection.size() == 1 ? m_model.plan().find(selection.first().toStdString()) : nullptr;
  if (chosen && chosen->kind == "touch-ups") {  // its own brush, on and off
    const bool isOff = nodes::touchUpsParams(*chosen).job == nodes::TouchBrushJob::Off;
    return m_model.setParam(selection.first(), "brush_job", std::string(isOff ? "adjust" : "off"));
  }
  const QString uid = m_model.handNodeFor(selection.size() == 1 ? selection.first() : QString());
  if (uid.isEmpty()) return say(tr("There is no ground to place on yet"));
  const Node* node = m_model.plan().find(uid.toStdString());
  const NodeKind* kind = node ? kindOf(*node) : nullptr;
  const ParamSpec* spec = kind ? kind->findParam("brush_job") : nullptr;
  if (!spec) return;
  if (std::get<std::string>(node->value(*spec)) != job) m_model.setParam(uid, spec->id, std::string(job));
  if (selection != QStringList{uid}) {
    m_plan->select({uid});
    m_plan->reveal(uid);
  }
  m_site->setFocus();
}

void MainWindow::selectOverlaps() {
  if (SiteTool* tool = m_site->tool()) m_site->select(tool->overlapping());
}

void MainWindow::takeOver() {
  const EvalViewPtr view = m_service.latest();
  if (!view || m_site->selected().empty()) return say(tr("Select placements in Site first"));
  m_taking.ask([this, view, shown = shownOf(m_site->selected())](const Task& task) -> Worker::Answer {
    const auto taken = std::make_shared<const std::vector<TakenOver>>(
        takenOver(view->opened(), view->evaluation, shown, task));
    return [this, taken, plan = view->plan] {
      if (plan != m_model.snapshot()) return say(tr("The plan was edited meanwhile; take over again"));
      std::size_t count = 0;
      for (const TakenOver& t : *taken) count += t.points.list.size();
      if (count == 0) return say(tr("What is selected is placed by hand already"));
      const QStringList nodes = m_model.takeOver(*taken);
      m_plan->select(nodes);
      say(tr("%1 taken over by hand").arg(QLocale().toString(static_cast<qulonglong>(count))));
    };
  });
}

void MainWindow::giveBackToRules() {
  const EvalViewPtr view = m_service.latest();
  if (!view || m_site->selected().empty()) return say(tr("Select placements in Site first"));
  m_taking.ask([this, view, files = m_service.files(),
                shown = shownOf(m_site->selected())](const Task& task) -> Worker::Answer {
    struct Change {
      std::map<std::string, ParamValue> points;  // by node
      std::size_t given = 0;
      std::size_t staying = 0;
    };
    auto change = std::make_shared<Change>();
    for (const auto& [uid, keys] : keptByHand(view->opened(), view->evaluation, shown)) {
      Node hand = *view->opened().find(uid);
      // A draft does not have all that the rules make.
      EvalRequest whole;
      whole.task = task;
      if (const auto it = hand.inputs.find("points"); it != hand.inputs.end())
        for (const Link& link : it->second) whole.wanted.push_back(link.node);
      const PointsPtr rules =
          whole.wanted.empty() ? nullptr
                               : inputsOf(view->opened(), Evaluator(files).evaluate(*view->plan, whole), hand).points();
      if (task.isCancelled()) return {};
      const std::size_t staying = giveBack(hand, rules ? *rules : Points(), keys);
      change->staying += staying;
      change->given += keys.size() - staying;
      change->points[uid] = hand.params.at("points");
    }
    return [this, change, plan = view->plan] {
      if (plan != m_model.snapshot()) return say(tr("The plan was edited meanwhile; give them back again"));
      const QLocale locale;
      const auto count = [&](std::size_t n) { return locale.toString(static_cast<qulonglong>(n)); };
      if (change->given + change->staying == 0) return say(tr("Nothing of what is selected was taken over by hand"));
      if (change->given > 0)
        m_model.editDocument(tr("Give back to their rules"), [&](Plan& now) {
          for (const auto& [uid, points] : change->points)
            if (Node* node = nodeBehind(now, uid)) node->params["points"] = points;
        });
      say(change->staying == 0 ? tr("%1 given back to their rules").arg(count(change->given))
                               : tr("%1 given back; %2 have no rule that makes them now, and stay by hand")
                                     .arg(count(change->given), count(change->staying)));
    };
  });
}

}  // namespace arvesk
