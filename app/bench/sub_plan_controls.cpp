#include "app/bench/sub_plan_controls.h"

#include "app/bench/form.h"
#include "app/bench/front_window.h"
#include "app/model/plan_model.h"
#include "app/model/words.h"
#include "core/base/formula.h"
#include "core/plan/dials.h"
#include "core/plan/sub_plan_checks.h"

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
    {&SubPlan::category, "sub_plan.category", ARVESK_TEXT("bench", "Category"),
     ARVESK_TEXT("bench", "What it is listed under where nodes are added")},
    {&SubPlan::author, "sub_plan.author", ARVESK_TEXT("bench", "Author"), ARVESK_TEXT("bench", "Who made it")},
    {&SubPlan::license, "sub_plan.license", ARVESK_TEXT("bench", "License"),
     ARVESK_TEXT("bench", "Under what terms others may use it, such as CC0-1.0")},
    {&SubPlan::news, "sub_plan.news", ARVESK_TEXT("bench", "News"),
     ARVESK_TEXT("bench", "What is new in the version that is kept next; told to plans that have an older one")},
};

using Refreshers = std::vector<std::function<void()>>;

/// Where the cursor stands stays where it is the same text.
void showText(QLineEdit& line, const std::string& words) {
  if (line.text() != text(words)) line.setText(text(words));
}

void addTexts(PlanModel& model, Form& form, Refreshers& refreshers) {
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
      if (!line->isModified()) showText(*line, here ? here->*own.member : std::string());
    });
    form.add(said(own.label), said(own.help), line, true);
  }
}

/// Does a formula ask for the control, or one of its numbers?
bool asksFor(const std::string& formula, const FrontControl& control) {
  if (formula == control.id) return true;
  const auto compiled = Formula::compile(formula);
  if (!compiled) return false;
  const std::vector<std::string>& names = compiled->names();
  return std::any_of(names.begin(), names.end(), [&](const std::string& name) {
    return name == control.id || frontNumber(control, control.usual, name).has_value();
  });
}

/// What follows a control inside keeps what the controls' usual values give.
void takeOff(PlanModel& model, const std::string& id) {
  model.editSubPlan(PlanModel::tr("Take off the front"), [&](SubPlan& s) {
    const FrontControl* control = s.findFront(id);
    if (!control) return;
    Plan usual;
    for (const FrontControl& c : s.fronts) usual.fronts.push_back({c, c.usual, c.usual});
    for (Node& node : s.nodes)
      std::erase_if(node.follows, [&](const auto& follow) {
        if (!asksFor(follow.second, *control)) return false;
        const auto [param, part] = followedPart(follow.first);
        const auto number = dialValue(usual, follow.second, Quality::Final);
        const NodeKind* kind = kindOf(node);
        const ParamSpec* spec = kind ? kind->findParam(param) : nullptr;
        if (!spec) return true;
        ParamValue kept = node.value(*spec);
        auto* numbers = std::get_if<std::vector<double>>(&kept);
        if (follow.second == id && !part)
          kept = control->usual;
        else if (number && part && numbers && *part < numbers->size())
          (*numbers)[*part] = *number;
        else if (number && !part)
          kept = *number;
        node.params[param] = kept;
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

void addFronts(PlanModel& model, Form& form, const QString& folder, Refreshers& refreshers) {
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
    QObject::connect(label, &QLineEdit::editingFinished, label, [&model, label, id] {
      if (!label->isModified()) return;
      label->setModified(false);
      model.editSubPlan(PlanModel::tr("Name of the front control"), [&](SubPlan& s) {
        for (FrontControl& c : s.fronts)
          if (c.id == id && !label->text().trimmed().isEmpty()) c.label = label->text().trimmed().toStdString();
      });
    });
    rows->addWidget(label, row, 0);
    refreshers.push_back([&model, label, id] {
      for (const FrontValue& now : model.plan().fronts)
        if (now.control.id == id && !label->isModified()) showText(*label, now.control.label);
    });
    int drives = 0;
    for (const Node& node : model.plan().nodes)
      for (const auto& [key, formula] : node.follows) drives += asksFor(formula, front.control) ? 1 : 0;
    label->setToolTip(drives == 1 ? PlanModel::tr("“%1” in formulas; sets 1 parameter").arg(text(id))
                                  : PlanModel::tr("“%1” in formulas; sets %2 parameters").arg(text(id)).arg(drives));
    label->setMinimumWidth(96);
    label->setCursorPosition(0);
    const auto button = [&](const QString& words, const char* name, int column, std::function<void()> does) {
      auto* b = new QToolButton(holder);
      b->setText(words);
      b->setObjectName(QStringLiteral("front.%1.%2").arg(row).arg(QLatin1String(name)));
      QObject::connect(b, &QToolButton::clicked, b, std::move(does));
      rows->addWidget(b, row, column);
      return b;
    };
    button(PlanModel::tr("More…"), "more", 1, [&model, id, folder, holder] {
      (new FrontWindow(&model, id, folder, holder->window()))->open();
    })->setToolTip(PlanModel::tr("Unit, range, what it is at first, help and group"));
    const auto arrow = [&](const QString& sign, const QString& words, const char* name, int column, int by, bool isOn) {
      QToolButton* b = button(sign, name, column, [&model, id, by] { move(model, id, by); });
      b->setAccessibleName(words);
      b->setToolTip(words);
      b->setEnabled(isOn);
    };
    arrow(QStringLiteral("↑"), PlanModel::tr("Up"), "up", 2, -1, row > 0);
    arrow(QStringLiteral("↓"), PlanModel::tr("Down"), "down", 3, 1,
          row + 1 < static_cast<int>(model.plan().fronts.size()));
    button(PlanModel::tr("Take off"), "off", 4, [&model, id] { takeOff(model, id); });
    ++row;
  }
  if (row == 0) {
    auto* none = new QLabel(
        PlanModel::tr("None yet: select a card, and drag the name of one of its controls onto the line over the Plan."),
        holder);
    none->setWordWrap(true);
    none->setProperty("role", QStringLiteral("quiet"));
    rows->addWidget(none, 0, 0, 1, 5);
  }
  form.add(PlanModel::tr("Front controls"), PlanModel::tr("What can be set where the sub-plan is used"), holder, true);
}

/// What checks can name here: ends and front controls.
QString namesForChecks(const PlanModel& model) {
  QStringList names;
  for (const Node& node : model.plan().nodes)
    if (node.kind == kWayIn || node.kind == kWayOut) names << text(checkName(node.title));
  for (const FrontValue& front : model.plan().fronts) names << text(front.control.id);
  names.removeDuplicates();
  return names.join(QStringLiteral(", "));
}

void addChecks(PlanModel& model, Form& form, Refreshers& refreshers) {
  const SubPlan* here = model.document().findSubPlan(model.subPlanHere());
  if (!here) return;
  auto* holder = new QWidget(&form);
  auto* rows = new QGridLayout(holder);
  rows->setContentsMargins(0, 0, 0, 0);
  rows->setHorizontalSpacing(6);
  rows->setVerticalSpacing(3);
  rows->setColumnStretch(0, 2);
  rows->setColumnStretch(1, 3);
  const QString help = PlanModel::tr(
                           "Names there are: %1; of an end, its count, and with _width, _height or _depth its "
                           "extent in m")
                           .arg(namesForChecks(model));
  int row = 0;
  for (const SubPlanCheck& check : here->checks) {
    const auto at = static_cast<std::size_t>(row);
    const auto line = [&](std::string SubPlanCheck::*member, const char* name, const QString& words, int column) {
      auto* made = new QLineEdit(text(check.*member), holder);
      made->setObjectName(QStringLiteral("check.%1.%2").arg(row).arg(QLatin1String(name)));
      made->setPlaceholderText(words);
      made->setAccessibleName(words);
      made->setToolTip(column == 0 ? help : PlanModel::tr("What is told on the card where it does not hold"));
      QObject::connect(made, &QLineEdit::editingFinished, made, [&model, made, member, at] {
        if (!made->isModified()) return;
        made->setModified(false);
        model.editSubPlan(PlanModel::tr("Check"), [&](SubPlan& s) {
          if (at < s.checks.size()) s.checks[at].*member = made->text().trimmed().toStdString();
        });
      });
      refreshers.push_back([&model, made, member, at] {
        const SubPlan* now = model.document().findSubPlan(model.subPlanHere());
        if (now && at < now->checks.size() && !made->isModified()) showText(*made, now->checks[at].*member);
      });
      rows->addWidget(made, row, column);
    };
    line(&SubPlanCheck::formula, "formula", PlanModel::tr("must hold, as stones > 0"), 0);
    line(&SubPlanCheck::words, "words", PlanModel::tr("words where it does not"), 1);
    auto* off = new QToolButton(holder);
    off->setText(PlanModel::tr("Remove"));
    off->setObjectName(QStringLiteral("check.%1.off").arg(row));
    QObject::connect(off, &QToolButton::clicked, off, [&model, at] {
      model.editSubPlan(PlanModel::tr("Remove check"), [&](SubPlan& s) {
        if (at < s.checks.size()) s.checks.erase(s.checks.begin() + static_cast<std::ptrdiff_t>(at));
      });
    });
    rows->addWidget(off, row, 2);
    ++row;
  }
  auto* add = new QToolButton(holder);
  add->setText(PlanModel::tr("Add a check"));
  add->setObjectName(QStringLiteral("check.add"));
  add->setToolTip(help);
  QObject::connect(add, &QToolButton::clicked, add, [&model] {
    model.editSubPlan(PlanModel::tr("Add a check"), [](SubPlan& s) { s.checks.push_back({"1", {}}); });
  });
  rows->addWidget(add, row, 0, Qt::AlignLeft);
  form.add(PlanModel::tr("Checks"), PlanModel::tr("What must hold where the sub-plan is used"), holder, true);
}

}  // namespace

std::function<void()> addSubPlanControls(PlanModel& model, Form& form, const QString& folder) {
  Refreshers refreshers;
  addFronts(model, form, folder, refreshers);
  addChecks(model, form, refreshers);
  addTexts(model, form, refreshers);
  auto* version = new QLabel(&form);
  version->setObjectName(QStringLiteral("sub_plan.version"));
  refreshers.push_back([&model, version] {
    const SubPlan* here = model.document().findSubPlan(model.subPlanHere());
    version->setText(QString::number(here ? here->version : 1));
  });
  form.add(PlanModel::tr("Version"), PlanModel::tr("It goes up where it is kept in the library and has changed"),
           version, true);
  return [refreshers] {
    for (const auto& refresh : refreshers) refresh();
  };
}

}  // namespace arvesk
