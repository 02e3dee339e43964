#include "app/bench/number_field.h"

#include "app/model/words.h"
#include "core/base/formula.h"

#include <QKeyEvent>
#include <QLocale>
#include <QMouseEvent>
#include <QRegularExpression>
#include <QStyle>

#include <cmath>

namespace arvesk {
namespace {

int g_gesture = 0;

}  // namespace

std::optional<double> parseQuantity(const QString& text, Unit unit) {
  QString rest = text.trimmed();
  rest.replace(QChar(0x2212), QLatin1Char('-'));
  // "12,500" is twelve thousand, "1,5" is one and a half, as half of the world writes it.
  static const QRegularExpression thousands(QStringLiteral("(?<![\\d.,])([1-9]\\d{0,2})((?:,\\d{3})+)(?![\\d,])"));
  for (auto m = thousands.match(rest); m.hasMatch(); m = thousands.match(rest))
    rest.replace(m.capturedStart(), m.capturedLength(), QString(m.captured(0)).remove(QLatin1Char(',')));
  rest.replace(QLatin1Char(','), QLatin1Char('.'));
  static const QRegularExpression suffix(QStringLiteral("\\s*(per m²|per m³|per m|°|deg|rad|%|px|cm|mm|km|m)$"));
  double factor = 1;
  const auto match = suffix.match(rest);
  if (match.hasMatch()) {
    const QString u = match.captured(1);
    if (unit == Unit::Meter)
      factor = u == QLatin1String("cm")   ? 0.01
               : u == QLatin1String("mm") ? 0.001
               : u == QLatin1String("km") ? 1000
               : u == QLatin1String("m")  ? 1
                                          : 0;
    else if (unit == Unit::Degree)
      factor = u == QLatin1String("rad")                               ? 180 / 3.14159265358979323846
               : u == QLatin1String("deg") || u == QStringLiteral("°") ? 1
                                                                       : 0;
    else
      factor = u == QString::fromUtf8(unitSuffix(unit)).trimmed() || u == said(unitSuffix(unit)).trimmed() ? 1 : 0;
    if (factor == 0) return {};  // a unit that does not belong here
    rest.chop(match.capturedLength());
  }
  const auto formula = Formula::compile(rest.toStdString());
  if (!formula || !formula->names().empty()) return {};
  const double v = formula->evaluate(std::vector<double>()) * factor;
  if (!std::isfinite(v)) return {};
  return v;
}

QString formatQuantity(double value, Unit unit) {
  QString number = QString::number(value, 'g', 6);
  if (number.contains(QLatin1Char('e'))) number = QString::number(value, 'f', 0);
  number.replace(QLatin1Char('-'), QChar(0x2212));  // the minus sign, as everywhere else
  return number + said(unitSuffix(unit));
}

NumberField::NumberField(const ParamSpec& spec, QWidget* parent)
    : QLineEdit(parent),
      m_unit(spec.unit),
      m_min(spec.hardMin),
      m_max(spec.hardMax),
      m_step(spec.step),
      m_isInteger(spec.type == ParamType::Integer) {
  setMinimumWidth(66);
  // A press must not give focus by itself: it may begin a drag. The release of a plain click gives it.
  setFocusPolicy(Qt::TabFocus);
  setCursor(Qt::SizeHorCursor);
  connect(this, &QLineEdit::returnPressed, this, [this] {
    commitText();
    selectAll();
  });
  connect(this, &QLineEdit::textEdited, this, [this] { setProperty("fault", false); });
}

void NumberField::showFormula(const QString& formula) {
  m_formula = formula;
  if (!formula.isEmpty())
    setToolTip(tr("%1: follows a dial. Type a number to let it go.").arg(formatQuantity(m_value, m_unit)));
  showValue(m_value);
}

QString NumberField::shownText() const { return m_formula.isEmpty() ? formatQuantity(m_value, m_unit) : m_formula; }

void NumberField::showValue(double value) {
  m_value = value;
  if (!hasFocus() || !isModified()) setText(shownText());
  setCursorPosition(0);
}

void NumberField::putBack() {
  setProperty("fault", false);
  style()->unpolish(this);
  style()->polish(this);
  setText(shownText());
  selectAll();
}

void NumberField::change(double value, int gesture) {
  value = std::clamp(value, m_min, m_max);
  if (m_isInteger) value = std::round(value);
  if (value == m_value) return;
  m_value = value;
  m_formula.clear();
  setText(shownText());
  Q_EMIT edited(value, gesture);
}

void NumberField::commitText() {
  if (m_canFollow) {
    const QString words = text().trimmed();
    const auto formula = Formula::compile(words.toStdString());
    if (formula && !formula->names().empty() && !parseQuantity(words, m_unit)) {
      setModified(false);
      if (words != m_formula) Q_EMIT followed(words);
      return;
    }
  }
  const auto v = parseQuantity(text(), m_unit);
  const bool isFault = !v || *v < m_min || *v > m_max;
  setProperty("fault", isFault);
  style()->unpolish(this);
  style()->polish(this);
  if (isFault) {
    setToolTip(!v ? tr("Not a number in this unit")
                  : tr("Must be %1 to %2").arg(formatQuantity(m_min, m_unit), formatQuantity(m_max, m_unit)));
    return;
  }
  setModified(false);
  if (!m_formula.isEmpty() && *v == m_value) {  // the same number, but no longer from a dial
    m_formula.clear();
    Q_EMIT edited(m_value, ++g_gesture);
  }
  change(*v, ++g_gesture);
  setText(shownText());
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
    putBack();
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
