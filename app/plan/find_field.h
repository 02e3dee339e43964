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
  /// The plan's own kinds besides those that are registered.
  using OwnKinds = std::vector<std::shared_ptr<const NodeKind>>;
  explicit FindField(QWidget* parent);
  /// `own` gives them; `isInside` says whether ways in and out are of use.
  void offer(std::function<OwnKinds()> own, std::function<bool()> isInside) {
    m_own = std::move(own);
    m_isInside = std::move(isInside);
  }
  using Chosen = std::function<void(const NodeKind&)>;
  /// What is done about a choice, such as to bring a kind into the plan first.
  void setAround(std::function<void(const NodeKind&, const Chosen&)> around) { m_around = std::move(around); }
  /// Opens near `at` (in the parent's coordinates) with the kinds for which `fits` is true, those first that `goesOn`
  /// tells; `chosen` is called once.
  void open(const QPoint& at, std::function<bool(const NodeKind&)> fits, std::function<void(const NodeKind&)> chosen,
            std::function<bool(const NodeKind&)> goesOn = {});

 private:
  void fill() override;
  void head(const QString& words);
  void choose() override;

  const NodeKind* kindAt(const class QListWidgetItem* item) const;

  QLabel* m_help;
  std::function<OwnKinds()> m_own = [] { return OwnKinds(); };
  std::function<bool()> m_isInside = [] { return false; };
  std::function<void(const NodeKind&, const Chosen&)> m_around = [](const NodeKind& kind, const Chosen& chosen) {
    chosen(kind);
  };
  OwnKinds m_held;                       // while they are listed
  std::vector<const NodeKind*> m_shown;  // by what rows hold
  std::function<bool(const NodeKind&)> m_fits;
  std::function<bool(const NodeKind&)> m_goesOn;
  std::function<void(const NodeKind&)> m_chosen;
};

}  // namespace arvesk
