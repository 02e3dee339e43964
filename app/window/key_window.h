// "Keys and mouse": what every key does, found by word or by key, and changed here; what the mouse does below.
#pragma once

#include "app/window/commands.h"

#include <QDialog>

class QLabel;
class QLineEdit;
class QTreeWidget;
class QTreeWidgetItem;

namespace arvesk {

class KeyWindow : public QDialog {
  Q_OBJECT

 public:
  KeyWindow(Commands& commands, QWidget* parent);
  ~KeyWindow() override;

 private:
  void buildList();
  static QLabel* mouseHelp();
  void fill();
  void showKeys();
  void filter();
  void give(std::size_t command, QKeySequence keys);

  Commands& m_commands;
  QLineEdit* m_search;
  QTreeWidget* m_list;
  QLabel* m_fault;
  std::vector<QTreeWidgetItem*> m_items;  // one per command
};

}  // namespace arvesk
