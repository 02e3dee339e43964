// A line of words that never widens what it stands in: shortened in the middle, whole on hover.
#pragma once

#include <QLabel>
#include <QPainter>

namespace arvesk {

class ElidedLabel : public QLabel {
 public:
  explicit ElidedLabel(QWidget* parent = nullptr) : QLabel(parent) {
    setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    setTextFormat(Qt::PlainText);
    setProperty("elides", true);
  }
  QSize minimumSizeHint() const override { return {0, QLabel::minimumSizeHint().height()}; }

 protected:
  void paintEvent(QPaintEvent*) override {
    QPainter p(this);
    const QString shown = fontMetrics().elidedText(text(), Qt::ElideMiddle, width());
    setToolTip(shown == text() ? QString() : text());
    style()->drawItemText(&p, rect(), static_cast<int>(alignment()), palette(), isEnabled(), shown, foregroundRole());
  }
};

}  // namespace arvesk
