#include "app/site/time_line.h"

#include "app/bench/number_field.h"
#include "app/window/theme.h"
#include "core/plan/key_edits.h"

#include <QContextMenuEvent>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLocale>
#include <QMenu>
#include <QPainter>
#include <QToolButton>

#include <algorithm>
#include <cmath>

namespace arvesk {
namespace {

constexpr int kSide = 8;  // px beside the first and the last frame

ParamSpec frameSpec(const char* id, const QString& label) {
  ParamSpec spec;
  spec.id = id;
  spec.label = label.toStdString();
  spec.type = ParamType::Integer;
  spec.hardMin = -1e6;
  spec.hardMax = 1e6;
  spec.step = 1;
  return spec;
}

/// Where the line is, px from above.
double groundOf(int height) { return height - 9.5; }

/// So that numbers do not run into each other.
int stepFor(int frames, double width) {
  for (int step = 1;; step *= 10)
    for (const int times : {1, 2, 5})
      if (width * step * times >= 46.0 * frames) return step * times;
}

}  // namespace

FrameRuler::FrameRuler(PlanModel* model, QWidget* parent) : QWidget(parent), m_model(model) {
  setObjectName(QStringLiteral("frames"));
  setFocusPolicy(Qt::StrongFocus);
  setMouseTracking(true);
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
  setToolTip(
      tr("A drag or the arrow keys go to a frame. Beads are keys of the selected node: a drag moves them, with "
         "Ctrl it copies, with Shift all later ones come along, with Alt all are stretched; Delete takes those at "
         "the needle out. Frames under the thick line are ready."));
}

void FrameRuler::showKeysOf(const QStringList& nodes) {
  m_nodes = nodes;
  update();
}

int FrameRuler::first() const { return m_model->document().settings.time.value_or(PlanTime()).first; }
int FrameRuler::last() const { return m_model->document().settings.time.value_or(PlanTime()).last; }

double FrameRuler::xOf(double frame) const {
  const int frames = std::max(1, last() - first());
  return kSide + (frame - first()) / frames * (width() - 2 * kSide);
}

double FrameRuler::frameAt(double x) const {
  const int frames = std::max(1, last() - first());
  const double at = first() + (x - kSide) / std::max(1, width() - 2 * kSide) * frames;
  return std::clamp(std::round(at), static_cast<double>(first()), static_cast<double>(last()));
}

std::optional<double> FrameRuler::beadAt(const QPointF& at) const {
  if (at.y() < groundOf(height()) - 2) return {};
  std::optional<double> nearest;
  for (const QString& uid : m_nodes)
    if (const Node* node = m_model->plan().find(uid.toStdString()))
      for (const double frame : framesOf(node->keys)) {
        const double away = std::abs(xOf(frame) - at.x());
        if (away <= 5 && (!nearest || away < std::abs(xOf(*nearest) - at.x()))) nearest = frame;
      }
  return nearest;
}

void FrameRuler::changeKeys(const QString& words, double frame,
                            const std::function<void(Keys& keys, std::size_t at)>& change) {
  m_model->edit(words, [&](Plan& plan) {
    for (const QString& uid : m_nodes) {
      Node* node = plan.find(uid.toStdString());
      if (!node) continue;
      for (auto& [id, keys] : node->keys)
        for (std::size_t k = keys.list.size(); k-- > 0;)
          if (keys.list[k].frame == frame) change(keys, k);
      std::erase_if(node->keys, [](const auto& of) { return of.second.isEmpty(); });
    }
  });
}

void FrameRuler::takeKeysAt(double frame) {
  changeKeys(tr("Take the keys at frame %1 out").arg(frame), frame,
             [](Keys& keys, std::size_t at) { keys.list.erase(keys.list.begin() + static_cast<std::ptrdiff_t>(at)); });
}

void FrameRuler::paintEvent(QPaintEvent*) {
  const Theme& theme = Theme::current();
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  const double ground = groundOf(height());
  const double end = width() - kSide;
  painter.setPen(theme.rule);
  painter.drawLine(QPointF(kSide, ground), QPointF(end, ground));
  if (m_isReady) {
    const double half = (xOf(first() + 1) - xOf(first())) / 2;
    const int stride = std::max(1, (last() - first()) / std::max(1, width()));  // no more than there are pixels
    for (int frame = first(); frame <= last(); frame += stride)
      if (m_isReady(frame))
        painter.fillRect(QRectF(QPointF(std::max<double>(kSide, xOf(frame) - half - 0.5), ground - 1.5),
                                QPointF(std::min(end, xOf(frame) + half + 0.5), ground + 1.5)),
                         theme.accent);
  }
  QFont small = font();
  small.setPointSizeF(std::max(7.0, small.pointSizeF() * 0.85));
  painter.setFont(small);
  const int step = stepFor(std::max(1, last() - first()), end - kSide);
  const double now = momentOf(m_model->document()).frame;
  const auto number = [](double frame) { return QLocale().toString(frame, 'g', 8); };
  const QFontMetricsF metrics(small);
  const auto roomOf = [&](double frame) {
    const double wide = metrics.horizontalAdvance(number(frame)) + 6;
    return QRectF(std::clamp(xOf(frame) - wide / 2, 0.0, width() - wide), 0, wide, ground - 3);
  };
  for (int frame = first() + (step - (first() % step + step) % step) % step; frame <= last(); frame += step) {
    painter.setPen(theme.rule);
    painter.drawLine(QPointF(xOf(frame), ground - 4), QPointF(xOf(frame), ground));
    if (roomOf(frame).intersects(roomOf(now))) continue;  // under the needle's own
    painter.setPen(theme.quiet);
    painter.drawText(roomOf(frame), Qt::AlignCenter, number(frame));
  }
  // Keys hang under the line as beads.
  painter.setPen(Qt::NoPen);
  painter.setBrush(theme.ink);
  for (const QString& uid : m_nodes)
    if (const Node* node = m_model->plan().find(uid.toStdString()))
      for (const double frame : framesOf(node->keys))
        if (frame >= first() && frame <= last()) painter.drawEllipse(QPointF(xOf(frame), ground + 4.5), 3, 3);
  painter.setPen(QPen(hasFocus() ? theme.accent : theme.ink, 2));
  painter.drawLine(QPointF(xOf(now), ground - 6), QPointF(xOf(now), height()));
  painter.drawText(roomOf(now), Qt::AlignCenter, number(now));
}

void FrameRuler::mousePressEvent(QMouseEvent* event) {
  if (event->button() != Qt::LeftButton) return;
  const auto bead = beadAt(event->position());
  if (!bead) return goTo(event->position().x());
  m_drag = Drag{*bead, {}, ++m_gestures};
  for (const QString& uid : m_nodes)
    if (const Node* node = m_model->plan().find(uid.toStdString())) m_drag->before[node->uid] = node->keys;
}

void FrameRuler::mouseMoveEvent(QMouseEvent* event) {
  if (!(event->buttons() & Qt::LeftButton)) {
    setCursor(beadAt(event->position()) ? Qt::SizeHorCursor : Qt::ArrowCursor);
    return;
  }
  if (m_drag)
    drag(frameAt(event->position().x()), event->modifiers());
  else
    goTo(event->position().x());
}

void FrameRuler::mouseReleaseEvent(QMouseEvent*) { m_drag.reset(); }

void FrameRuler::drag(double to, Qt::KeyboardModifiers with) {
  const KeyMove how = with & Qt::ControlModifier ? KeyMove::Copy
                      : with & Qt::ShiftModifier ? KeyMove::Along
                      : with & Qt::AltModifier   ? KeyMove::Stretch
                                                 : KeyMove::One;
  m_model->edit(
      tr("Move keys to frame %1").arg(to),
      [&](Plan& plan) {
        for (const auto& [uid, tracks] : m_drag->before)
          if (Node* node = plan.find(uid))
            for (const auto& [id, keys] : tracks) node->keys[id] = movedKeys(keys, m_drag->from, to, how);
      },
      QStringLiteral("keys.%1").arg(m_drag->gesture));
}

void FrameRuler::contextMenuEvent(QContextMenuEvent* event) {
  const auto bead = beadAt(event->pos());
  if (!bead) return;
  QMenu menu(this);
  menu.setObjectName(QStringLiteral("bead_menu"));
  const auto ease = [&](const QString& words, const char* name, Easing easing) {
    menu.addAction(words, this,
                   [this, words, easing, frame = *bead] {
                     changeKeys(words, frame, [&](Keys& keys, std::size_t at) { keys.list[at].easing = easing; });
                   })
        ->setObjectName(QLatin1String(name));
  };
  ease(tr("On from here: softly"), "ease_soft", Easing::Soft);
  ease(tr("On from here: evenly"), "ease_even", Easing::Even);
  ease(tr("On from here: held until the next key"), "ease_held", Easing::Held);
  menu.addSeparator();
  const auto beyond = [&](const QString& words, const char* name, Beyond how) {
    menu.addAction(words, this,
                   [this, words, how, frame = *bead] {
                     changeKeys(words, frame, [&](Keys& keys, std::size_t) { keys.before = keys.after = how; });
                   })
        ->setObjectName(QLatin1String(name));
  };
  beyond(tr("Beyond its keys: it stays"), "beyond_hold", Beyond::Hold);
  beyond(tr("Beyond its keys: over and over"), "beyond_loop", Beyond::Loop);
  beyond(tr("Beyond its keys: back and forth"), "beyond_mirror", Beyond::Mirror);
  menu.addSeparator();
  menu.addAction(tr("Take the keys at frame %1 out").arg(*bead), this, [this, frame = *bead] { takeKeysAt(frame); })
      ->setObjectName(QStringLiteral("take_bead"));
  menu.exec(event->globalPos());
}

void FrameRuler::keyPressEvent(QKeyEvent* event) {
  const double now = momentOf(m_model->document()).frame;
  switch (event->key()) {
    case Qt::Key_Left: return m_model->setFrame(std::max<double>(first(), std::ceil(now) - 1));
    case Qt::Key_Right: return m_model->setFrame(std::min<double>(last(), std::floor(now) + 1));
    case Qt::Key_Home: return m_model->setFrame(first());
    case Qt::Key_End: return m_model->setFrame(last());
    case Qt::Key_Delete: return takeKeysAt(now);
    default: QWidget::keyPressEvent(event);
  }
}
void FrameRuler::focusInEvent(QFocusEvent*) { update(); }
void FrameRuler::focusOutEvent(QFocusEvent*) { update(); }

TimeLine::TimeLine(PlanModel* model, std::function<bool()> isShown, std::function<bool(double frame)> isReady,
                   QWidget* parent)
    : QWidget(parent), m_model(model), m_isShown(std::move(isShown)) {
  setObjectName(QStringLiteral("time_line"));
  setAccessibleName(tr("Time line"));
  setAttribute(Qt::WA_StyledBackground);
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(8, 2, 8, 2);
  row->setSpacing(6);
  const auto button = [&](const QString& words, const char* name, const QString& help) {
    auto* made = new QToolButton(this);
    made->setText(words);
    made->setObjectName(QLatin1String(name));
    made->setToolTip(help);
    made->setCheckable(true);
    made->setProperty("role", QStringLiteral("mode"));
    row->addWidget(made);
    return made;
  };
  const auto field = [&](const char* name, const QString& label, const QString& help, double least) {
    ParamSpec spec = frameSpec(name, label);
    spec.hardMin = least;
    if (std::string_view(name) == "time_frame") spec.type = ParamType::Number;  // it may lie between two
    auto* made = new NumberField(spec, this);
    made->setObjectName(QLatin1String(name));
    made->setAccessibleName(label);
    made->setToolTip(help);
    made->setFixedWidth(52);
    row->addWidget(made);
    return made;
  };
  m_play = button(tr("Play"), "time_play", tr("Shows one frame after the other, each as soon as it is worked out"));
  m_loop = button(tr("Over and over"), "time_loop", tr("Begins anew after the last frame"));
  m_loop->setChecked(true);
  auto* here = new QLabel(tr("Frame"), this);
  here->setProperty("role", QStringLiteral("quiet"));
  row->addWidget(here);
  m_frame = field("time_frame", tr("Frame"), tr("The frame that is shown; it may lie between two"), -1e6);
  row->addSpacing(10);
  m_first = field("time_first", tr("First frame"), tr("The first frame of the plan"), -1e6);
  m_ruler = new FrameRuler(model, this);
  m_ruler->setAccessibleName(tr("Frames"));
  m_ruler->setReady(std::move(isReady));
  row->addWidget(m_ruler, 1);
  m_last = field("time_last", tr("Last frame"), tr("The last frame of the plan"), -1e6);
  m_rate = field("time_rate", tr("Frames per second"), tr("Frames per second"), 1);
  auto* unit = new QLabel(tr("per s"), this);
  unit->setProperty("role", QStringLiteral("quiet"));
  row->addWidget(unit);
  connect(m_play, &QToolButton::clicked, this, &TimeLine::play);
  connect(m_frame, &NumberField::edited, this, [this](double frame) { m_model->setFrame(frame); });
  const auto set = [this](auto change) {
    return [this, change](double value, int gesture) {
      PlanTime time = m_model->document().settings.time.value_or(PlanTime());
      change(time, value);
      m_model->setTime(time, QStringLiteral("time.%1").arg(gesture));
    };
  };
  connect(m_first, &NumberField::edited, this, set([](PlanTime& t, double v) {
            t.first = static_cast<int>(v);
            t.last = std::max(t.first, t.last);
          }));
  connect(m_last, &NumberField::edited, this, set([](PlanTime& t, double v) {
            t.last = static_cast<int>(v);
            t.first = std::min(t.first, t.last);
          }));
  connect(m_rate, &NumberField::edited, this, set([](PlanTime& t, double v) { t.rate = std::min(v, 1000.0); }));
  connect(m_model, &PlanModel::changed, this, &TimeLine::refresh);
  connect(m_model, &PlanModel::frameChanged, this, &TimeLine::refresh);
  connect(&m_timer, &QTimer::timeout, this, &TimeLine::step);
  refresh();
}

void TimeLine::play(bool isOn) {
  m_play->setChecked(isOn);
  if (!isOn) {
    if (!m_timer.isActive()) return;
    m_timer.stop();
    return m_model->restAtFrame();
  }
  const auto& time = m_model->document().settings.time;
  if (!time) return;
  if (momentOf(m_model->document()).frame >= time->last) m_model->setFrame(time->first);
  m_timer.start(std::max(1, static_cast<int>(std::lround(1000 / time->rate))));
}

void TimeLine::step() {
  const auto& time = m_model->document().settings.time;
  if (!time) return play(false);
  if (!m_isShown()) return;
  const double next = std::floor(momentOf(m_model->document()).frame) + 1;
  if (next > time->last && !m_loop->isChecked()) return play(false);
  m_model->setFrame(next > time->last ? time->first : next, true);
}

bool TimeLine::isLooping() const { return m_loop->isChecked(); }

void TimeLine::refresh() {
  const auto& time = m_model->document().settings.time;
  setVisible(time.has_value());
  if (!time) return play(false);
  m_frame->showValue(momentOf(m_model->document()).frame);
  m_first->showValue(time->first);
  m_last->showValue(time->last);
  m_rate->showValue(time->rate);
  m_ruler->update();
}

}  // namespace arvesk
