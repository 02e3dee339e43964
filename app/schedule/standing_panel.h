// What stands wrong: what floats, what is buried, and what reaches into what, worst first.
#pragma once

#include "app/model/evaluation_service.h"
#include "app/model/worker.h"
#include "core/deliver/meeting.h"
#include "core/deliver/standing.h"

#include <QWidget>

class QLabel;
class QStackedWidget;
class QTableWidget;
class QToolButton;

namespace arvesk {

class NumberField;

class StandingPanel : public QWidget {
  Q_OBJECT

 public:
  explicit StandingPanel(QWidget* parent = nullptr);
  /// Looks at these; of the two questions only the one that is asked is worked on.
  void look(const EvalViewPtr& view);
  bool isBusy() const { return m_check.isBusy(); }
  const StandingReport& standing() const { return m_report; }
  const MeetingReport& meetings() const { return m_meetings; }

 Q_SIGNALS:
  /// A faulty placement was chosen: it is to be selected and brought into sight.
  void placementWanted(const QString& node, quint64 id, const Vec3& place);

 private:
  QWidget* standingLimits();
  QWidget* meetingLimits();
  void buildTable();
  bool asksMeetings() const;
  void check();
  void checkStandingOf(const EvalViewPtr& view);
  void checkMeetingsOf(const EvalViewPtr& view);
  void showFaults();
  void showMeetings();
  void choose(int row);
  QString propOf(std::uint32_t layer, std::uint32_t point) const;
  void fill(int rows, const std::function<QStringList(std::size_t)>& cellsOf);

  EvalViewPtr m_view;
  QToolButton* m_asksStanding;
  QToolButton* m_asksMeetings;
  QStackedWidget* m_limits;
  QLabel* m_head;
  QTableWidget* m_faults;
  StandingRule m_rule;
  float m_deeperThan = 0.02F;  // m
  StandingReport m_report;
  MeetingReport m_meetings;
  std::vector<PictureLayer> m_checked;  // what the layers of what is listed are
  Worker m_check;
};

}  // namespace arvesk
