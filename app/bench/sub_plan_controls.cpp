#include "app/bench/sub_plan_controls.h"

#include "app/bench/form.h"
#include "app/model/plan_model.h"
#include "app/model/words.h"

#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QToolButton>

#include <algorithm>

namespace arvesk {
namespace {

struct OwnText {
  std::string SubPlan::*member;
  const char* id;
  const char* label;
  const char* help;
};

const OwnText kOwnTexts[] = {
    {&SubPlan::name, "sub_plan.name", ARVESK_TEXT("bench", "Name"),
     ARVESK_TEXT("bench", "What it is called where nodes are added")},
    {&SubPlan::sentence, "sub_plan.sentence", ARVESK_TEXT("bench", "Sentence"),
     ARVESK_TEXT("bench",
                 "What its cards say; the name of a control in braces, as in {density}, stands for its value")},
    {&SubPlan::help, "sub_plan.help", ARVESK_TEXT("bench", "Help"),
     ARVESK_TEXT("bench", "What it does, for whoever uses it")},
    {&SubPlan::tags, "sub_plan.tags", ARVESK_TEXT("bench", "Tags"),
     ARVESK_TEXT("bench", "Words that it is found by, with spaces between them")},
    {&SubPlan::author, "sub_plan.author", ARVESK_TEXT("bench", "Author"), ARVESK_TEXT("bench", "Who made it")},
};

void addTexts(PlanModel& model, Form& form, std::vector<std::function<void()>>& refreshers) {
  for (const OwnText& own : kOwnTexts) {
    auto* line = new QLineEdit(&form);
    line->setObjectName(QLatin1String(own.id));
    line->setAccessibleName(said(own.label));
    QObject::connect(line, &QLineEdit::editingFinished, line, [&model, line, &own] {
      if (!line->isModified()) return;
      line->setModified(false);
      model.editSubPlan(said(own.label), [&](SubPlan& s) { s.*own.member = line->text().toStdString(); });
    });
    refreshers.push_back([&model, line, &own] {
      const SubPlan* here = model.document().findSubPlan(model.subPlanHere());
      const QString now = here ? text(here->*own.member) : QString();
      if (line->text() != now && !line->isModified()) line->setText(now);
    });
    form.add(said(own.label), said(own.help), line, true);
  }
}

/// What follows a control inside keeps what the control's usual value gives.
void takeOff(PlanModel& model, const std::string& id) {
  model.editSubPlan(PlanModel::tr("Take off the front"), [&](SubPlan& s) {
    const FrontControl* control = s.findFront(id);
    if (!control) return;
    for (Node& node : s.nodes)
      std::erase_if(node.follows, [&](const auto& follow) {
        if (follow.second != id) return false;
        node.params[follow.first] = control->usual;
        return true;
      });
    std::erase_if(s.fronts, [&](const FrontControl& c) { return c.id == id; });
  });
}

void move(PlanModel& model, const std::string& id, int by) {
  model.editSubPlan(PlanModel::tr("Order of front controls"), [&](SubPlan& s) {
    for (std::size_t i = 0; i < s.fronts.size(); ++i) {
      const auto to = static_cast<std::ptrdiff_t>(i) + by;
      if (s.fronts[i].id != id || to < 0 || to >= static_cast<std::ptrdiff_t>(s.fronts.size())) continue;
      std::swap(s.fronts[i], s.fronts[static_cast<std::size_t>(to)]);
      return;
    }
  });
}

void addFronts(PlanModel& model, Form& form) {
  auto* holder = new QWidget(&form);
  auto* rows = new QGridLayout(holder);
  rows->setContentsMargins(0, 0, 0, 0);
  rows->setHorizontalSpacing(6);
  rows->setVerticalSpacing(3);
  rows->setColumnStretch(0, 1);
  int row = 0;
  for (const FrontValue& front : model.plan().fronts) {
    const std::string id = front.control.id;
    auto* label = new QLineEdit(text(front.control.label), holder);
    label->setObjectName(QStringLiteral("front.%1.label").arg(row));
    label->setAccessibleName(PlanModel::tr("Name of the front control"));
    label->setToolTip(PlanModel::tr("“%1” in formulas").arg(text(id)));
    QObject::connect(label, &QLineEdit::editingFinished, label, [&model, label, id] {
      if (!label->isModified()) return;
      label->setModified(false);
      model.editSubPlan(PlanModel::tr("Name of the front control"), [&](SubPlan& s) {
        for (FrontControl& c : s.fronts)
          if (c.id == id && !label->text().trimmed().isEmpty()) c.label = label->text().trimmed().toStdString();
      });
    });
    rows->addWidget(label, row, 0);
    int drives = 0;
    for (const Node& node : model.plan().nodes)
      for (const auto& [key, formula] : node.follows) drives += formula.find(id) != std::string::npos;
    auto* what = new QLabel(
        drives == 1 ? PlanModel::tr("sets 1 parameter") : PlanModel::tr("sets %1 parameters").arg(drives), holder);
    what->setProperty("role", QStringLiteral("quiet"));
    rows->addWidget(what, row, 1);
    const auto button = [&](const QString& words, const char* name, int column, std::function<void()> does) {
      auto* b = new QToolButton(holder);
      b->setText(words);
      b->setObjectName(QStringLiteral("front.%1.%2").arg(row).arg(QLatin1String(name)));
      QObject::connect(b, &QToolButton::clicked, b, std::move(does));
      rows->addWidget(b, row, column);
      return b;
    };
    button(PlanModel::tr("Up"), "up", 2, [&model, id] { move(model, id, -1); })->setEnabled(row > 0);
    button(PlanModel::tr("Down"), "down", 3, [&model, id] {
      move(model, id, 1);
    })->setEnabled(row + 1 < static_cast<int>(model.plan().fronts.size()));
    button(PlanModel::tr("Take off"), "off", 4, [&model, id] { takeOff(model, id); });
    ++row;
  }
  if (row == 0) {
    auto* none = new QLabel(
        PlanModel::tr("None yet: select a card, right-click one of its controls here, and bring it to the front."),
        holder);
    none->setWordWrap(true);
    none->setProperty("role", QStringLiteral("quiet"));
    rows->addWidget(none, 0, 0, 1, 5);
  }
  form.add(PlanModel::tr("Front controls"), PlanModel::tr("What can be set where the sub-plan is used"), holder, true);
}

}  // namespace

std::function<void()> addSubPlanControls(PlanModel& model, Form& form) {
  std::vector<std::function<void()>> refreshers;
  addFronts(model, form);
  addTexts(model, form, refreshers);
  return [refreshers] {
    for (const auto& refresh : refreshers) refresh();
  };
}

}  // namespace arvesk
