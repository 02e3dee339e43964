#include "app/bench/front_window.h"

#include "app/bench/number_field.h"
#include "app/bench/param_editors.h"
#include "app/model/plan_model.h"
#include "app/model/words.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPlainTextEdit>
#include <QPushButton>

namespace arvesk {
namespace {

constexpr Unit kUnits[] = {Unit::None,          Unit::Meter,    Unit::Degree, Unit::Percent, Unit::PerSquareMeter,
                           Unit::PerCubicMeter, Unit::PerMeter, Unit::Second, Unit::Pixel};

}  // namespace

FrontWindow::FrontWindow(PlanModel* model, const std::string& id, const QString& folder, QWidget* parent)
    : QDialog(parent), m_model(model), m_folder(folder), m_form(new QFormLayout), m_fault(new QLabel(this)) {
  setObjectName(QStringLiteral("front_window"));
  setWindowTitle(tr("Front control"));
  setAttribute(Qt::WA_DeleteOnClose);
  resize(430, 10);
  for (const FrontValue& front : model->plan().fronts)
    if (front.control.id == id) m_control = m_before = front.control;
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(16, 14, 16, 12);
  column->setSpacing(10);
  column->addLayout(m_form);
  m_form->setFieldGrowthPolicy(QFormLayout::AllNonFixedFieldsGrow);
  m_fault->setObjectName(QStringLiteral("front_fault"));
  m_fault->setProperty("role", QStringLiteral("trouble"));
  m_fault->setWordWrap(true);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
  m_keep = buttons->button(QDialogButtonBox::Ok);
  connect(buttons, &QDialogButtonBox::accepted, this, &FrontWindow::keep);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  addTexts(*m_form);
  addChoices(*m_form);
  if (isNumeric()) addNumbers(*m_form);
  showUsual();
  column->addWidget(m_fault);
  column->addWidget(buttons);
  check();
}

bool FrontWindow::isNumeric() const {
  switch (m_control.type) {
    case ParamType::Number:
    case ParamType::Integer:
    case ParamType::Range:
    case ParamType::Band:
    case ParamType::Vector: return true;
    default: return false;
  }
}

void FrontWindow::addTexts(QFormLayout& form) {
  const auto line = [&](std::string FrontControl::*member, const char* name, const QString& label,
                        const QString& hint) {
    auto* made = new QLineEdit(text(m_control.*member), this);
    made->setObjectName(QLatin1String(name));
    made->setToolTip(hint);
    connect(made, &QLineEdit::textChanged, this, [this, member](const QString& words) {
      m_control.*member = words.trimmed().toStdString();
      check();
    });
    form.addRow(label, made);
  };
  line(&FrontControl::label, "front_label", tr("Name"), tr("What stands before it"));
  auto* id = new QLabel(text(m_control.id), this);
  id->setTextInteractionFlags(Qt::TextSelectableByMouse);
  id->setToolTip(tr("What it is called in formulas, in the sentence, and in files"));
  form.addRow(tr("In formulas"), id);
  auto* help = new QPlainTextEdit(text(m_control.help), this);
  help->setObjectName(QStringLiteral("front_help"));
  help->setTabChangesFocus(true);
  help->setFixedHeight(62);
  connect(help, &QPlainTextEdit::textChanged, this,
          [this, help] { m_control.help = help->toPlainText().trimmed().toStdString(); });
  form.addRow(tr("Help"), help);
  line(&FrontControl::group, "front_group", tr("Group"),
       tr("Controls of one group stand below its heading, which opens and closes them"));
}

/// Only what stands in the list is another; what it means inside stays.
void FrontWindow::addChoices(QFormLayout& form) {
  if (m_control.type != ParamType::Choice) return;
  for (std::size_t i = 0; i < m_control.options.size(); ++i) {
    auto* made = new QLineEdit(said(m_control.options[i].label), this);
    made->setObjectName(QStringLiteral("front_option_%1").arg(i));
    connect(made, &QLineEdit::textChanged, this, [this, i](const QString& words) {
      m_control.options[i].label = words.trimmed().toStdString();
      check();
      showUsual();
    });
    form.addRow(tr("Choice %1").arg(i + 1), made);
  }
}

void FrontWindow::addNumbers(QFormLayout& form) {
  auto* unit = new QComboBox(this);
  unit->setObjectName(QStringLiteral("front_unit"));
  for (const Unit u : kUnits) {
    const QString words = said(unitSuffix(u)).trimmed();
    unit->addItem(words.isEmpty() ? tr("none") : words, static_cast<int>(u));
  }
  unit->setCurrentIndex(std::max(0, unit->findData(static_cast<int>(m_control.unit))));
  connect(unit, &QComboBox::activated, this, [this, unit] {
    m_control.unit = static_cast<Unit>(unit->currentData().toInt());
    check();
    showUsual();
  });
  form.addRow(tr("Unit"), unit);
  ParamSpec spec;  // the numbers here go as far as any
  spec.type = m_control.type == ParamType::Integer ? ParamType::Integer : ParamType::Number;
  spec.step = m_control.step;
  const auto field = [&](double FrontControl::*member, const char* name, const QString& words) {
    auto* made = new NumberField(spec, this);
    made->setObjectName(QLatin1String(name));
    made->setAccessibleName(words);
    made->showValue(m_control.*member);
    connect(made, &NumberField::edited, this, [this, member](double value, int) {
      m_control.*member = value;
      check();
      showUsual();
    });
    return made;
  };
  const auto pair = [&](const QString& label, const QString& hint, QWidget* one, QWidget* other) {
    auto* both = new QWidget(this);
    auto* row = new QHBoxLayout(both);
    row->setContentsMargins(0, 0, 0, 0);
    row->addWidget(one);
    row->addWidget(new QLabel(tr("to"), both));
    row->addWidget(other);
    both->setToolTip(hint);
    form.addRow(label, both);
  };
  pair(tr("Can be"), tr("What lies outside is refused"), field(&FrontControl::least, "front_least", tr("At least")),
       field(&FrontControl::most, "front_most", tr("At most")));
  pair(tr("Mostly is"), tr("Where the values sheet goes; it holds nothing back"),
       field(&FrontControl::usualLeast, "front_usual_least", tr("Mostly from")),
       field(&FrontControl::usualMost, "front_usual_most", tr("Mostly to")));
  form.addRow(tr("Step"), field(&FrontControl::step, "front_step", tr("Step")));
}

/// In a control as those who use it get it.
void FrontWindow::showUsual() {
  if (m_usual) m_form->removeRow(m_usual);
  ParamEditor* editor = makeEditor(specOf(m_control), m_model->plan(), {}, m_folder, this);
  editor->show(m_control.usual);
  editor->setObjectName(QStringLiteral("front_usual"));
  editor->setToolTip(tr("What a new use has, and every use that sets nothing else"));
  connect(editor, &ParamEditor::edited, this, [this](const ParamValue& value, int) {
    m_control.usual = value;
    check();
  });
  m_usual = editor;
  m_form->addRow(tr("At first"), editor);
}

void FrontWindow::check() {
  QString fault;
  if (m_control.label.empty()) fault = tr("It needs a name.");
  for (const Option& option : m_control.options)
    if (option.label.empty()) fault = tr("Every choice needs a name.");
  for (const FrontValue& other : m_model->plan().fronts)
    if (other.control.id != m_control.id && other.control.label == m_control.label)
      fault = tr("Another front control is called so.");
  if (isNumeric()) {
    if (m_control.least > m_control.most) fault = tr("It can be nothing: at least is more than at most.");
    if (m_control.usualLeast >= m_control.usualMost) fault = tr("What it mostly is goes from less to more.");
    if (!(m_control.step > 0)) fault = tr("A step is more than 0.");
    if (fault.isEmpty()) fault = said(faultOf(specOf(m_control), m_control.usual));
  }
  m_fault->setText(fault);
  m_fault->setVisible(!fault.isEmpty());
  m_keep->setEnabled(fault.isEmpty());
}

void FrontWindow::keep() {
  if (!(m_control == m_before))
    m_model->editSubPlan(tr("Front control %1").arg(text(m_control.label)), [this](SubPlan& s) {
      for (FrontControl& c : s.fronts)
        if (c.id == m_control.id) c = m_control;
    });
  accept();
}

}  // namespace arvesk
