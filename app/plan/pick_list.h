// A short list to pick from by typing: what can be connected, where ribbons lead.
#pragma once

#include <QFrame>

#include <functional>

class QLabel;
class QLineEdit;
class QListWidget;

namespace arvesk {

struct Pick {
  QString words;
  QString note;  // beside it, quiet
  std::function<void()> chosen;
};

class PickList : public QFrame {
  Q_OBJECT

 public:
  explicit PickList(QWidget* parent);
  /// Opens near `at` (in the parent's coordinates). Letters narrow the list, Enter takes one, Esc none.
  void open(const QPoint& at, const QString& title, std::vector<Pick> picks);

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void fill();
  void choose();

  QLabel* m_title;
  QLineEdit* m_line;
  QListWidget* m_list;
  std::vector<Pick> m_picks;
};

}  // namespace arvesk
