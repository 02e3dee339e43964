#include "app/bench/number_field.h"

#include <QKeyEvent>
#include <QLocale>
#include <QMouseEvent>
#include <QRegularExpression>
#include <QStyle>

#include <cmath>

namespace arvesk {
namespace {

int g_gesture = 0;

/// Sums and products of numbers with brackets, by recursive descent.
class Arithmetic {
 public:
  explicit Arithmetic(QString text) : m_text(std::move(text)) { m_text.remove(QLatin1Char(' ')); }
  std::optional<double> result() {
    const double v = sum();
    if (!m_isGood || m_at != m_text.size() || !std::isfinite(v)) return {};
    return v;
  }

 private:
  QChar peek() const { return m_at < m_text.size() ? m_text[m_at] : QChar(); }
  bool take(char c) {
    if (peek() != QLatin1Char(c)) return false;
    ++m_at;
    return true;
  }
  double sum() {
    double v = product();
    while (m_isGood) {
      if (take('+')) v += product();
      else if (take('-')) v -= product();
      else break;
    }
    return v;
  }
  double product() {
    double v = factor();
    while (m_isGood) {
      if (take('*')) v *= factor();
      else if (take('/')) v /= factor();
      else break;
    }
    return v;
  }
  double factor() {
    if (take('-')) return -factor();
    if (take('+')) return factor();
    if (take('(')) {
      const double v = sum();
      m_isGood = m_isGood && take(')');
      return v;
    }
    static const QRegularExpression number(QStringLiteral("\\G(\\d+\\.?\\d*|\\.\\d+)([eE][-+]?\\d+)?"));
    const auto match = number.match(m_text, m_at);
    if (!match.hasMatch()) {
      m_isGood = false;
      return 0;
    }
    m_at += match.capturedLength();
    return match.captured().toDouble();
  }

  QString m_text;
  qsizetype m_at = 0;
  bool m_isGood = true;
};

}  // namespace

std::optional<double> parseQuantity(const QString& text, Unit unit) {
  QString rest = text.trimmed();
  rest.replace(QChar(0x2212), QLatin1Char('-')).replace(QLatin1Char(','), QString());
  static const QRegularExpression suffix(QStringLiteral("\\s*(per m²|°|deg|rad|%|px|cm|mm|km|m)$"));
  double factor = 1;
  const auto match = suffix.match(rest);
  if (match.hasMatch()) {
    const QString u = match.captured(1);
    if (unit == Unit::Meter) factor = u == QLatin1String("cm") ? 0.01 : u == QLatin1String("mm") ? 0.001 : u == QLatin1String("km") ? 1000 : u == QLatin1String("m") ? 1 : 0;
    else if (unit == Unit::Degree) factor = u == QLatin1String("rad") ? 180 / 3.14159265358979323846 : u == QLatin1String("deg") || u == QStringLiteral("°") ? 1 : 0;
    else factor = u == QString::fromUtf8(unitSuffix(unit)).trimmed() ? 1 : 0;
    if (factor == 0) return {};  // a unit that does not belong here
    rest.chop(match.capturedLength());
  }
  const auto v = Arithmetic(rest).result();
  if (!v) return {};
  return *v * factor;
}

QString formatQuantity(double value, Unit unit) {
  QString number = QString::number(value, 'g', 6);
  if (number.contains(QLatin1Char('e'))) number = QString::number(value, 'f', 0);
  return number + QString::fromUtf8(unitSuffix(unit));
}

NumberField::NumberField(const ParamSpec& spec, QWidget* parent)
    : QLineEdit(parent), m_unit(spec.unit), m_min(spec.hardMin), m_max(spec.hardMax), m_step(spec.step), m_isInteger(spec.type == ParamType::Integer) {
  setMinimumWidth(56);
  // A press must not give focus by itself: it may begin a drag. The release of a plain click gives it.
  setFocusPolicy(Qt::TabFocus);
  setCursor(Qt::SizeHorCursor);
  connect(this, &QLineEdit::returnPressed, this, [this] { commitText(); selectAll(); });
  connect(this, &QLineEdit::textEdited, this, [this] { setProperty("fault", false); });
}

void NumberField::showValue(double value) {
  m_value = value;
  if (!hasFocus() || !isModified()) setText(formatQuantity(value, m_unit));
  setCursorPosition(0);
}

void NumberField::change(double value, int gesture) {
  value = std::clamp(value, m_min, m_max);
  if (m_isInteger) value = std::round(value);
  if (value == m_value) return;
  m_value = value;
  setText(formatQuantity(value, m_unit));
  Q_EMIT edited(value, gesture);
}

void NumberField::commitText() {
  const auto v = parseQuantity(text(), m_unit);
  const bool isFault = !v || *v < m_min || *v > m_max;
  setProperty("fault", isFault);
  style()->unpolish(this);
  style()->polish(this);
  if (isFault) {
    setToolTip(!v ? tr("Not a number in this unit") : tr("Must be %1 to %2").arg(formatQuantity(m_min, m_unit), formatQuantity(m_max, m_unit)));
    return;
  }
  setModified(false);
  const double before = m_value;
  change(*v, ++g_gesture);
  if (m_value == before) setText(formatQuantity(m_value, m_unit));
}

void NumberField::mousePressEvent(QMouseEvent* event) {
  if (event->button() == Qt::LeftButton && !hasFocus()) {
    m_pressedAt = event->pos();
    m_isDragging = false;
    m_dragStart = m_value;
    m_gesture = ++g_gesture;
    return;
  }
  QLineEdit::mousePressEvent(event);
}

void NumberField::mouseMoveEvent(QMouseEvent* event) {
  if (!m_pressedAt) return QLineEdit::mouseMoveEvent(event);
  const int moved = event->pos().x() - m_pressedAt->x();
  if (std::abs(moved) > 3) m_isDragging = true;
  const double fine = event->modifiers() & Qt::ShiftModifier ? 0.1 : 1;
  if (m_isDragging) change(m_dragStart + std::round(moved / 3.0) * m_step * fine, m_gesture);
}

void NumberField::mouseReleaseEvent(QMouseEvent* event) {
  if (!m_pressedAt) return QLineEdit::mouseReleaseEvent(event);
  m_pressedAt.reset();
  if (m_isDragging) return;
  setFocus(Qt::MouseFocusReason);
  selectAll();
}

void NumberField::wheelEvent(QWheelEvent* event) {
  if (!hasFocus()) return event->ignore();  // so that scrolling over the Bench changes nothing
  change(m_value + (event->angleDelta().y() > 0 ? m_step : -m_step), m_gesture);
  event->accept();
}

void NumberField::keyPressEvent(QKeyEvent* event) {
  if (event->key() == Qt::Key_Up || event->key() == Qt::Key_Down) {
    if (isModified()) commitText();
    const double times = event->modifiers() & Qt::ShiftModifier ? 10 : 1;
    change(m_value + (event->key() == Qt::Key_Up ? times : -times) * m_step, m_gesture);
    return;
  }
  if (event->key() == Qt::Key_Escape) {
    setText(formatQuantity(m_value, m_unit));
    clearFocus();
    return;
  }
  QLineEdit::keyPressEvent(event);
}

void NumberField::focusInEvent(QFocusEvent* event) {
  m_gesture = ++g_gesture;
  setCursor(Qt::IBeamCursor);
  setModified(false);
  QLineEdit::focusInEvent(event);
}

void NumberField::focusOutEvent(QFocusEvent* event) {
  setCursor(Qt::SizeHorCursor);
  if (isModified()) commitText();
  QLineEdit::focusOutEvent(event);
}

}  // namespace arvesk
