// How a window looks: words that have no room, and neighbors that lie on each other.
#pragma once

#include <QAbstractButton>
#include <QCheckBox>
#include <QComboBox>
#include <QHeaderView>
#include <QLabel>
#include <QLayout>
#include <QLineEdit>
#include <QStyle>
#include <QStyleOptionComboBox>
#include <QTextDocument>

namespace arvesk::test {

/// Of a list of choices, what its frame and arrow leave for words.
inline int roomIn(const QComboBox& box) {
  QStyleOptionComboBox option;
  option.initFrom(&box);
  option.subControls = QStyle::SC_All;
  return box.style()->subControlRect(QStyle::CC_ComboBox, &option, QStyle::SC_ComboBoxEditField, &box).width();
}

/// The first visible widget below `root` whose words do not fit, or empty.
inline QString cutOffIn(QWidget* root) {
  for (QWidget* w : root->findChildren<QWidget*>()) {
    if (!w->isVisible() || w->width() < 1) continue;
    int needed = 0;
    int room = w->width();
    QString words;
    if (const auto* label = qobject_cast<QLabel*>(w)) {
      if (label->property("elides").toBool()) continue;  // shortened on purpose, whole on hover
      if (label->text().isEmpty() || label->wordWrap() || Qt::mightBeRichText(label->text())) continue;
      words = label->text();
      needed = label->fontMetrics().boundingRect(words).width() + label->margin() * 2;
    } else if (const auto* button = qobject_cast<QAbstractButton*>(w)) {
      if (button->text().isEmpty()) continue;
      words = button->text();
      needed = button->fontMetrics().boundingRect(button->text()).width();
      if (qobject_cast<QCheckBox*>(w))
        room -= w->style()->pixelMetric(QStyle::PM_IndicatorWidth, nullptr, w) +
                w->style()->pixelMetric(QStyle::PM_CheckBoxLabelSpacing, nullptr, w);
    } else if (const auto* box = qobject_cast<QComboBox*>(w)) {
      words = box->currentText();
      needed = box->fontMetrics().boundingRect(words).width();
      room = roomIn(*box);
    } else if (const auto* line = qobject_cast<QLineEdit*>(w)) {
      if (line->isReadOnly() || line->maxLength() < 0 || line->hasFocus()) continue;
      words = line->text();
      if (!words.isEmpty() && (words[0].isDigit() || words[0] == QLatin1Char('-')))
        needed = line->fontMetrics().boundingRect(words).width();  // numbers; names may scroll
      else if (words.isEmpty() && !line->placeholderText().isEmpty()) {
        constexpr int kFrame = 16;  // that the style leaves around words
        words = line->placeholderText();
        needed = line->fontMetrics().boundingRect(words).width() + kFrame;
      }
    }
    if (const auto* head = qobject_cast<QHeaderView*>(w); head && head->model()) {
      for (int c = 0; c < head->count(); ++c) {
        const QString title = head->model()->headerData(c, Qt::Horizontal).toString();
        if (head->orientation() != Qt::Horizontal || head->isSectionHidden(c) ||
            head->fontMetrics().horizontalAdvance(title) <= head->sectionSize(c))
          continue;
        words = title;
        needed = head->fontMetrics().horizontalAdvance(title);
        room = head->sectionSize(c);
      }
    }
    if (needed > room + 2)
      return QStringLiteral("\"%1\" needs %2 px and has %3, in %4")
          .arg(words)
          .arg(needed)
          .arg(room)
          .arg(w->objectName().isEmpty() ? w->parentWidget()->objectName() : w->objectName());
    if (needed > 0 && w->fontMetrics().height() > w->height() + 1)
      return QStringLiteral("\"%1\" is cut at its height").arg(words);
  }
  return {};
}

/// Neighbors of one parent that lie on each other.
inline QString overlapIn(QWidget* root) {
  for (QWidget* parent : root->findChildren<QWidget*>()) {
    if (!parent->isVisible() || !parent->layout()) continue;
    QList<QWidget*> shown;
    for (QObject* child : parent->children())
      if (auto* w = qobject_cast<QWidget*>(child);
          w && w->isVisible() && !w->isWindow() && w->width() > 0 && parent->layout()->indexOf(w) >= 0)
        shown.append(w);
    for (qsizetype i = 0; i < shown.size(); ++i)
      for (qsizetype k = i + 1; k < shown.size(); ++k)
        if (shown[i]->geometry().adjusted(1, 1, -1, -1).intersects(shown[k]->geometry().adjusted(1, 1, -1, -1)))
          return QStringLiteral("%1 lies on %2 in %3")
              .arg(shown[i]->objectName(), shown[k]->objectName(), parent->objectName());
  }
  return {};
}

}  // namespace arvesk::test
