// The find field: type a name or synonym, Enter adds the node. Shows only what fits when it was opened from a slot.
#pragma once

#include "app/plan/popup_list.h"
#include "core/plan/node_kind.h"

#include <functional>

class QLabel;

namespace arvesk {

class FindField : public PopupList {
  Q_OBJECT

 public:
  explicit FindField(QWidget* parent);
  /// Opens near `at` (in the parent's coordinates) with the kinds for which `fits` is true, those first that `goesOn`
  /// tells; `chosen` is called once.
  void open(const QPoint& at, std::function<bool(const NodeKind&)> fits, std::function<void(const NodeKind&)> chosen,
            std::function<bool(const NodeKind&)> goesOn = {});

 private:
  void fill() override;
  void head(const QString& words);
  void choose() override;

  QLabel* m_help;
  std::function<bool(const NodeKind&)> m_fits;
  std::function<bool(const NodeKind&)> m_goesOn;
  std::function<void(const NodeKind&)> m_chosen;
};

}  // namespace arvesk
