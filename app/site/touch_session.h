// What can be done to the placements that are selected in Site, and kept as touch-ups: by handles, keys, numbers, menu.
#pragma once

#include "app/model/evaluation_service.h"
#include "app/model/worker.h"
#include "app/site/site_selection.h"
#include "core/nodes/adjust/touch_ups.h"

#include <deque>

namespace arvesk {

class TouchSession : public QObject {
  Q_OBJECT

 public:
  explicit TouchSession(PlanModel* model, QObject* parent = nullptr);
  void showResults(const EvalViewPtr& view);
  void select(const SiteSelection& selection);

  /// How many of what is selected can be touched; 0 until that is known.
  std::size_t count() const;
  /// Can handles and numbers change them now? Not more than can be changed between two frames.
  bool hasHandles() const;
  static constexpr std::size_t kMostByHandle = 20'000;
  /// The middle of them as they are shown, with what was moved since.
  Vec3 middle() const { return m_middle + m_moved; }
  /// How far from the middle the farthest of them stands, as seen from above, m.
  float extent() const { return m_extent; }
  /// Of a single one: what was done to it, and where it stands.
  std::optional<TouchUp> single() const;
  float stepMeters() const;

  /// All that is done between these two is one step that can be undone; each `set` says what is done since `begin`.
  void begin();
  void set(const TouchDelta& delta);
  void end();
  /// The three at once.
  void nudge(const TouchDelta& delta);

  void remove();
  void keep(bool isKept);
  void swapFor(const QString& propUid);
  /// The prop that most of those have that stand nearest to each.
  void makeAsOthers();
  void undoTouches();
  /// A prop like the one of the first that is selected, for these alone; returns its uid.
  QString makeOwnVariant();

 Q_SIGNALS:
  /// There is something else to be shown, or it can be changed now.
  void changed();
  void told(const QString& words);

 private:
  using Change = std::function<void(TouchUp&, TouchUps& among, const TouchTarget&)>;
  void prepare();
  void change(const QString& text, const Change& how);
  void change(const QString& text, const Change& how, const std::vector<TouchGroup>& groups);
  void changeNow(const QString& text, const Change& how, std::vector<TouchGroup> groups);
  void changeNext();
  void apply(const QString& text, const std::function<TouchUps(const TouchGroup&, const TouchUps&)>& made,
             const QString& mergeKey);

  PlanModel* m_model;
  EvalViewPtr m_view;
  SiteSelection m_selection;
  std::vector<TouchGroup> m_groups;
  Vec3 m_middle{0};
  float m_extent = 0;

  // What is done between begin and end, and moves that the picture does not show yet.
  bool m_isBusy = false;
  bool m_isBehind = false;  // results came meanwhile
  std::vector<TouchUps> m_before;
  Vec3 m_moved{0};
  Vec3 m_movedBefore{0};
  int m_gesture = 0;

  Worker m_preparing;
  std::deque<std::function<void()>> m_asked;  // one after the other, so that none is lost
  Worker m_looking;
  Worker m_changing;
};

}  // namespace arvesk
