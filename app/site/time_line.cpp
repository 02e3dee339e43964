#include "app/site/time_line.h"

#include "app/bench/number_field.h"
#include "app/model/plan_model.h"
#include "app/window/theme.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLocale>
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
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
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

void FrameRuler::goTo(double x) {
  const int frames = std::max(1, last() - first());
  const double at = first() + (x - kSide) / std::max(1, width() - 2 * kSide) * frames;
  m_model->setFrame(std::clamp(std::round(at), static_cast<double>(first()), static_cast<double>(last())));
}

void FrameRuler::paintEvent(QPaintEvent*) {
  const Theme& theme = Theme::current();
  QPainter painter(this);
  painter.setRenderHint(QPainter::Antialiasing);
  const double ground = height() - 9.5;
  const double end = width() - kSide;
  painter.setPen(theme.rule);
  painter.drawLine(QPointF(kSide, ground), QPointF(end, ground));
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
      for (const auto& [id, keys] : node->keys)
        for (const Key& key : keys.list)
          if (key.frame >= first() && key.frame <= last())
            painter.drawEllipse(QPointF(xOf(key.frame), ground + 4.5), 3, 3);
  painter.setPen(QPen(hasFocus() ? theme.accent : theme.ink, 2));
  painter.drawLine(QPointF(xOf(now), ground - 6), QPointF(xOf(now), height()));
  painter.drawText(roomOf(now), Qt::AlignCenter, number(now));
}

void FrameRuler::mousePressEvent(QMouseEvent* event) { goTo(event->position().x()); }
void FrameRuler::mouseMoveEvent(QMouseEvent* event) {
  if (event->buttons() & Qt::LeftButton) goTo(event->position().x());
}

void FrameRuler::keyPressEvent(QKeyEvent* event) {
  const double now = momentOf(m_model->document()).frame;
  switch (event->key()) {
    case Qt::Key_Left: return m_model->setFrame(std::max<double>(first(), std::ceil(now) - 1));
    case Qt::Key_Right: return m_model->setFrame(std::min<double>(last(), std::floor(now) + 1));
    case Qt::Key_Home: return m_model->setFrame(first());
    case Qt::Key_End: return m_model->setFrame(last());
    default: QWidget::keyPressEvent(event);
  }
}
void FrameRuler::focusInEvent(QFocusEvent*) { update(); }
void FrameRuler::focusOutEvent(QFocusEvent*) { update(); }

TimeLine::TimeLine(PlanModel* model, std::function<bool()> isShown, QWidget* parent)
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
  m_frame = field("time_frame", tr("Frame"), tr("The frame that is shown; it may lie between two"), -1e6);
  m_first = field("time_first", tr("First frame"), tr("The first frame of the plan"), -1e6);
  m_ruler = new FrameRuler(model, this);
  m_ruler->setAccessibleName(tr("Frames"));
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
  connect(&m_timer, &QTimer::timeout, this, &TimeLine::step);
  refresh();
}

void TimeLine::play(bool isOn) {
  m_play->setChecked(isOn);
  if (!isOn) return m_timer.stop();
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
  m_model->setFrame(next > time->last ? time->first : next);
}

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
