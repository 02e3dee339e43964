// What was left behind unsaved, to be taken back, given up, or left for later.
#pragma once

#include "app/window/recovery.h"

#include <QDialog>

class QLabel;
class QTreeWidget;

namespace arvesk {

class RecoveryWindow : public QDialog {
  Q_OBJECT

 public:
  explicit RecoveryWindow(std::vector<KeptWork> works, QWidget* parent = nullptr);
  /// What is to be taken back, with the chosen version first; nothing when it is left for later.
  const std::optional<KeptWork>& chosen() const { return m_chosen; }

 private:
  void fill();
  void take();
  void giveUp();

  std::vector<KeptWork> m_works;
  std::optional<KeptWork> m_chosen;
  QTreeWidget* m_list;
};

}  // namespace arvesk
