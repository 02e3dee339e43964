// A line of words that never widens what it stands in: shortened in the middle, whole on hover.
#pragma once

#include <QLabel>
#include <QPainter>
#include <QStyle>

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

/// Several hints in one line: as many of them as are whole, all on hover.
class HintLine : public QLabel {
 public:
  explicit HintLine(QWidget* parent = nullptr) : QLabel(parent) {
    setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    setProperty("elides", true);
  }
  QSize minimumSizeHint() const override { return {0, QLabel::minimumSizeHint().height()}; }
  void setHints(const QString& hints) {
    setText(hints);
    setToolTip(hints);
  }

 protected:
  void paintEvent(QPaintEvent*) override {
    const QString mark = QStringLiteral(" · ");
    QStringList seen = text().split(mark);
    while (seen.size() > 1 && fontMetrics().horizontalAdvance(seen.join(mark)) > width()) seen.removeLast();
    QPainter p(this);
    style()->drawItemText(&p, rect(), static_cast<int>(alignment()), palette(), isEnabled(),
                          fontMetrics().elidedText(seen.join(mark), Qt::ElideRight, width()), foregroundRole());
  }
};

}  // namespace arvesk
