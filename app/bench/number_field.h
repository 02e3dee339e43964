// A number with unit: drag sideways, wheel, arrow keys, or type, with arithmetic and other units ("1.6/2", "45 cm",
// "0.8 rad").
#pragma once

#include "core/plan/params.h"

#include <QLineEdit>

namespace arvesk {

/// The value of an arithmetic text in the unit of the field; nothing when it cannot be understood.
std::optional<double> parseQuantity(const QString& text, Unit unit);
QString formatQuantity(double value, Unit unit);

class NumberField : public QLineEdit {
  Q_OBJECT

 public:
  explicit NumberField(const ParamSpec& spec, QWidget* parent = nullptr);
  double value() const { return m_value; }
  /// Shows a value without telling anyone.
  void showValue(double value);
  /// Shows the formula that the value follows, or goes back to the number when it is empty.
  void showFormula(const QString& formula);
  /// Gives up what was typed and not entered.
  void putBack();
  /// Whether a text with names is taken as a formula over dials.
  void setCanFollow(bool can) { m_canFollow = can; }

 Q_SIGNALS:
  void followed(const QString& formula);
  /// `gesture` is the same for all changes of one drag, wheel run or typing.
  void edited(double value, int gesture);

 protected:
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void wheelEvent(QWheelEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void focusInEvent(QFocusEvent* event) override;
  void focusOutEvent(QFocusEvent* event) override;

 private:
  void change(double value, int gesture);
  void commitText();
  QString shownText() const;

  Unit m_unit;
  double m_min;
  double m_max;
  double m_step;
  bool m_isInteger;
  double m_value = 0;
  QString m_formula;
  bool m_canFollow = false;
  std::optional<QPoint> m_pressedAt;
  bool m_isDragging = false;
  double m_dragStart = 0;
  int m_gesture = 0;
};

}  // namespace arvesk
