// The find field: type a name or synonym, Enter adds the node. Shows only what fits when it was opened from a slot.
#pragma once

#include "app/model/worker.h"
#include "app/plan/popup_list.h"
#include "core/formats/library.h"
#include "core/plan/node_kind.h"

#include <QPixmap>

#include <functional>

class QLabel;

namespace arvesk {

class FindField : public PopupList {
  Q_OBJECT

 public:
  /// A kind that is not registered: a sub-plan.
  struct Own {
    std::shared_ptr<const NodeKind> kind;
    std::string category;
    LibraryToolPtr tool;  // null when no library has it
  };
  using OwnKinds = std::vector<Own>;
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
  /// Words and picture of the current row.
  void showCurrent();
  void drawPicture(const NodeKind* kind);

  QLabel* m_help;
  QLabel* m_picture;
  struct Drawn {
    std::shared_ptr<const NodeKind> kind;  // held while its picture is known by its address; null: registered
    QPixmap picture;                       // null where none can be made
  };
  std::map<const NodeKind*, Drawn> m_pictures;
  Worker m_drawer;
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
