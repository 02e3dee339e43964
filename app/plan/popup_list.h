// What lists have in common that open over the Plan: a line that narrows them, keys that choose and leave.
#pragma once

#include <QFrame>

class QLineEdit;
class QListWidget;

namespace arvesk {

class PopupList : public QFrame {
  Q_OBJECT

 public:
  explicit PopupList(QWidget* parent);

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;
  /// Near `at` (in the parent's coordinates) and within it, with an empty line.
  void openAt(const QPoint& at, const QSize& wanted);
  /// Hides it; the keys are the parent's again.
  void leave();
  /// The list for what the line says.
  virtual void fill() = 0;
  /// Takes the current row.
  virtual void choose() = 0;

  QLineEdit* m_line;
  QListWidget* m_list;
};

}  // namespace arvesk
