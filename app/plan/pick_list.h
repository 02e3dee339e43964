// A short list to pick from by typing: what can be connected, where ribbons lead.
#pragma once

#include "app/plan/popup_list.h"

#include <functional>

class QLabel;

namespace arvesk {

struct Pick {
  QString words;
  QString note;  // beside it, quiet
  std::function<void()> chosen;
};

class PickList : public PopupList {
  Q_OBJECT

 public:
  explicit PickList(QWidget* parent);
  /// Opens near `at` (in the parent's coordinates). Letters narrow the list, Enter takes one, Esc none.
  void open(const QPoint& at, const QString& title, std::vector<Pick> picks);

 private:
  void fill() override;
  void choose() override;

  QLabel* m_title;
  std::vector<Pick> m_picks;
};

}  // namespace arvesk
