// The find field: type a name or synonym, Enter adds the node. Shows only what fits when it was opened from a slot.
#pragma once

#include "core/plan/node_kind.h"

#include <QFrame>

#include <functional>

class QLineEdit;
class QListWidget;
class QLabel;

namespace arvesk {

class FindField : public QFrame {
  Q_OBJECT

 public:
  explicit FindField(QWidget* parent);
  /// Opens near `at` (in the parent's coordinates) with the kinds for which `fits` is true, those first that `goesOn`
  /// tells; `chosen` is called once.
  void open(const QPoint& at, std::function<bool(const NodeKind&)> fits, std::function<void(const NodeKind&)> chosen,
            std::function<bool(const NodeKind&)> goesOn = {});

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;

 private:
  void fill();
  void head(const QString& words);
  void choose();

  QLineEdit* m_line;
  QListWidget* m_list;
  QLabel* m_help;
  std::function<bool(const NodeKind&)> m_fits;
  std::function<bool(const NodeKind&)> m_goesOn;
  std::function<void(const NodeKind&)> m_chosen;
};

}  // namespace arvesk
