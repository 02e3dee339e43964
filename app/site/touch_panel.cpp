#include "app/site/touch_panel.h"

#include "app/bench/number_field.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QLocale>
#include <QMenu>
#include <QToolButton>

#include <cmath>

namespace arvesk {
namespace {

ParamSpec number(Unit unit, double least, double most, double step) {
  ParamSpec spec;
  spec.type = ParamType::Number;
  spec.unit = unit;
  spec.hardMin = least;
  spec.hardMax = most;
  spec.usualMin = least;
  spec.usualMax = most;
  spec.step = step;
  return spec;
}

/// A number that is dragged or wheeled has come to rest after this.
constexpr int kQuietMs = 400;

/// How far a turn goes about up, clockwise from above, degrees.
double headingIn(const Quat& turn) {
  const Vec3 ahead = turn * Vec3(0, 0, -1);
  return ahead.x == 0 && ahead.z == 0 ? 0 : std::round(static_cast<double>(degrees(headingOf(ahead))) * 1000) / 1000;
}

}  // namespace

TouchPanel::TouchPanel(TouchSession* session, TouchHandles* handles, PlanModel* model, QWidget* parent)
    : QFrame(parent), m_session(session), m_handles(handles), m_model(model), m_title(new QLabel(this)) {
  setObjectName(QStringLiteral("touch_panel"));
  setProperty("role", QStringLiteral("float"));
  m_title->setObjectName(QStringLiteral("touch_title"));
  m_title->setProperty("role", QStringLiteral("section"));
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(10, 4, 6, 6);
  column->setSpacing(4);
  auto* numbers = new QHBoxLayout;
  numbers->setSpacing(3);
  const ParamSpec meters = number(Unit::Meter, -1e4, 1e4, 0.05);
  addField(
      numbers, tr("East"), "touch_x", meters, [](TouchDelta& d, double by) { d.move.x = static_cast<float>(by); },
      [](const TouchUp& t) { return static_cast<double>(t.move.x); });
  addField(
      numbers, tr("South"), "touch_z", meters, [](TouchDelta& d, double by) { d.move.z = static_cast<float>(by); },
      [](const TouchUp& t) { return static_cast<double>(t.move.z); });
  addField(
      numbers, tr("Up"), "touch_up", meters, [](TouchDelta& d, double by) { d.lift = static_cast<float>(by); },
      [](const TouchUp& t) { return static_cast<double>(t.lift); });
  addField(
      numbers, tr("Turn"), "touch_turn", number(Unit::Degree, -3600, 3600, 1),
      [](TouchDelta& d, double by) { d.headingDeg = static_cast<float>(by); },
      [](const TouchUp& t) { return headingIn(t.turn); });
  addField(
      numbers, tr("Lean"), "touch_lean", number(Unit::Degree, -360, 360, 1),
      [](TouchDelta& d, double by) { d.leanDeg = static_cast<float>(by); }, [](const TouchUp&) { return 0.0; });
  addField(
      numbers, tr("Size"), "touch_size", number(Unit::None, 0.01, 100, 0.05),
      [](TouchDelta& d, double by) { d.size = static_cast<float>(by); },
      [](const TouchUp& t) { return static_cast<double>(t.size.y); });
  m_quiet.setSingleShot(true);
  m_quiet.setInterval(kQuietMs);
  connect(&m_quiet, &QTimer::timeout, this, [this] {
    m_session->end();
    refresh();
  });
  numbers->addStretch(1);
  column->addLayout(numbers);

  m_colors = new QWidget(this);
  auto* colors = new QHBoxLayout(m_colors);
  colors->setContentsMargins(0, 0, 0, 0);
  colors->setSpacing(3);
  addField(
      colors, tr("Hue"), "touch_hue", number(Unit::Degree, -180, 180, 1),
      [](TouchDelta& d, double by) { d.tint.x = static_cast<float>(by / 360); },
      [](const TouchUp& t) { return static_cast<double>(t.tint.x) * 360; });
  addField(
      colors, tr("Saturation"), "touch_saturation", number(Unit::Percent, -100, 400, 1),
      [](TouchDelta& d, double by) { d.tint.y = static_cast<float>(by / 100); },
      [](const TouchUp& t) { return static_cast<double>(t.tint.y) * 100; });
  addField(
      colors, tr("Brightness"), "touch_brightness", number(Unit::Percent, -100, 400, 1),
      [](TouchDelta& d, double by) { d.tint.z = static_cast<float>(by / 100); },
      [](const TouchUp& t) { return static_cast<double>(t.tint.z) * 100; });
  colors->addStretch(1);
  m_colors->hide();
  column->addWidget(m_colors);

  auto* buttons = new QHBoxLayout;
  buttons->setSpacing(2);
  buttons->addWidget(m_title);
  const auto button = [&](const QString& words, const char* name, const QString& tip) {
    auto* b = new QToolButton(this);
    b->setText(words);
    b->setObjectName(QLatin1String(name));
    b->setToolTip(tip);
    buttons->addWidget(b);
    return b;
  };
  m_each = button(tr("Each by itself"), "touch_each",
                  tr("Turns and sizes each about its own place, not all about their middle"));
  m_free = button(tr("Off the ground"), "touch_free", tr("Moves them level through the air, not along the ground"));
  for (QToolButton* b : {m_each, m_free}) b->setCheckable(true);
  connect(m_each, &QToolButton::toggled, this, [this](bool isOn) { m_handles->setEach(isOn); });
  connect(m_free, &QToolButton::toggled, this, [this](bool isOn) { m_handles->setFree(isOn); });
  auto* swap = button(tr("Swap for"), "touch_swap", tr("Gives them another prop of the Kit"));
  auto* props = new QMenu(swap);
  connect(props, &QMenu::aboutToShow, this, [this, props] {
    props->clear();
    fillProps(props);
  });
  swap->setMenu(props);
  swap->setPopupMode(QToolButton::InstantPopup);
  m_color = button(tr("Color"), "touch_color", tr("Numbers for their color"));
  m_color->setCheckable(true);
  connect(m_color, &QToolButton::toggled, this, [this](bool isOn) {
    m_colors->setVisible(isOn);
    Q_EMIT sizeChanged();
  });
  m_keep = button(tr("Keep"), "touch_keep", tr("They stay, whatever the rules say"));
  m_keep->setCheckable(true);
  connect(m_keep, &QToolButton::clicked, this, [this](bool isOn) { m_session->keep(isOn); });
  connect(button(tr("Remove"), "touch_remove", tr("Takes them away; forgetting it on the Bench brings them back")),
          &QToolButton::clicked, m_session, &TouchSession::remove);
  m_takeBack = button(tr("Take back"), "touch_take_back", tr("Makes them again what their rules say"));
  connect(m_takeBack, &QToolButton::clicked, m_session, &TouchSession::undoTouches);
  buttons->addStretch(1);
  column->addLayout(buttons);
  hide();
}

void TouchPanel::addField(QBoxLayout* row, const QString& words, const char* name, const ParamSpec& spec,
                          const std::function<void(TouchDelta&, double)>& does,
                          const std::function<double(const TouchUp&)>& of) {
  auto* label = new QLabel(words, this);
  label->setProperty("role", QStringLiteral("quiet"));
  auto* made = new NumberField(spec, this);
  made->setObjectName(QLatin1String(name));
  made->setAccessibleName(words);
  made->setFixedWidth(62);
  row->addWidget(label);
  row->addWidget(made);
  m_fields.push_back({made, of});
  connect(made, &NumberField::edited, this,
          [this, does, of, isFactor = spec.unit == Unit::None](double value, int gesture) {
            // Of one placement the field says how it is; of several, by how much all of them change.
            if (gesture != m_gesture || !m_quiet.isActive()) {
              finish();
              m_was = isFactor ? 1 : 0;
              if (const auto now = m_session->single()) m_was = of(*now);
              m_session->begin();
              m_gesture = gesture;
            }
            TouchDelta delta;
            delta.isEach = m_handles->isEach();
            delta.isFree = m_handles->isFree();
            does(delta, isFactor ? value / m_was : value - m_was);
            m_session->set(delta);
            m_quiet.start();
          });
}

bool TouchPanel::hasColors() const { return m_color->isChecked(); }
void TouchPanel::hideColors() { m_color->setChecked(false); }

void TouchPanel::finish() {
  if (!m_quiet.isActive()) return;
  m_quiet.stop();
  m_session->end();
  refresh();
}

void TouchPanel::refresh() {
  if (m_quiet.isActive()) return;  // a number is being changed
  const std::size_t count = m_session->count();
  const auto now = m_session->single();
  m_title->setText(tr("%1 selected").arg(QLocale().toString(static_cast<qulonglong>(count))));
  for (const auto& [field, of] : m_fields) {
    field->setEnabled(m_session->hasHandles());
    if (!field->hasFocus() || !field->isModified())
      field->showValue(std::round(of(now.value_or(TouchUp())) * 1e4) / 1e4);
  }
  m_keep->setChecked(now && now->isKept);
  m_takeBack->setEnabled(!now || !now->isNothing());
}

void TouchPanel::fillProps(QMenu* menu) {
  QAction* others = menu->addAction(tr("As the others around"), m_session, &TouchSession::makeAsOthers);
  others->setObjectName(QStringLiteral("touch_as_others"));
  QAction* own = menu->addAction(tr("A variant of their own"), m_session, &TouchSession::makeOwnVariant);
  own->setObjectName(QStringLiteral("touch_own_variant"));
  menu->addSeparator();
  for (const PropEntry& entry : m_model->plan().props) {
    const QString uid = QString::fromStdString(entry.uid);
    QAction* action = menu->addAction(QString::fromStdString(entry.name), this,
                                      [this, uid] { m_session->swapFor(uid); });
    action->setObjectName(QStringLiteral("touch_swap.") + uid);
  }
}

void TouchPanel::fillMenu(QMenu* menu) {
  fillProps(menu->addMenu(tr("Swap for")));
  const auto add = [&](const QString& words, const char* name, auto&& what) {
    QAction* action = menu->addAction(words, m_session, what);
    action->setObjectName(QLatin1String(name));
    action->setEnabled(m_session->count() > 0);
  };
  add(tr("Keep, whatever the rules say"), "menu_touch_keep", [this] { m_session->keep(true); });
  add(tr("Keep no longer"), "menu_touch_unkeep", [this] { m_session->keep(false); });
  add(tr("Remove"), "menu_touch_remove", [this] { m_session->remove(); });
  add(tr("Take touch-ups back"), "menu_touch_back", [this] { m_session->undoTouches(); });
}

}  // namespace arvesk
