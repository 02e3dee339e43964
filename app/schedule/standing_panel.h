// What stands wrong: what floats, what is buried, what reaches into what, and what jumps or flickers over the frames;
// worst first.
#pragma once

#include "app/model/evaluation_service.h"
#include "app/model/worker.h"
#include "core/deliver/meeting.h"
#include "core/deliver/over_frames.h"
#include "core/deliver/standing.h"

#include <QWidget>

class QComboBox;
class QLabel;
class QStackedWidget;
class QTableWidget;
class QToolButton;

namespace arvesk {

class NumberField;

class StandingPanel : public QWidget {
  Q_OBJECT

 public:
  explicit StandingPanel(std::shared_ptr<DiskFileService> files, QWidget* parent = nullptr);
  /// Looks at these; of the questions only the one that is asked is worked on. Of views of one edition only the frames
  /// differ.
  void look(const EvalViewPtr& view, std::size_t edition);
  bool isBusy() const { return m_check.isBusy(); }
  const StandingReport& standing() const { return m_report; }
  const MeetingReport& meetings() const { return m_meetings; }
  /// Null while it is not known.
  const OverFrames* overFrames() const { return m_overFrames.get(); }

 Q_SIGNALS:
  /// A faulty placement was chosen: it is to be selected and brought into sight.
  void placementWanted(const QString& node, quint64 id, const Vec3& place);
  /// As it is at that frame.
  void frameWanted(double frame);

 private:
  QWidget* standingLimits();
  QWidget* meetingLimits();
  void buildTable();
  QWidget* framesLimits();
  bool asksMeetings() const;
  bool asksFrames() const;
  void check();
  void checkStandingOf(const EvalViewPtr& view);
  void checkMeetingsOf(const EvalViewPtr& view);
  void checkFramesOf(const EvalViewPtr& view);
  void showFaults();
  void showMeetings();
  void showFrames();
  std::vector<FrameFinding> frameFindings() const;
  void choose(int row);
  QString propOf(std::uint32_t layer, std::uint32_t point) const;
  void fill(int rows, const std::function<QStringList(std::size_t)>& cellsOf);

  std::shared_ptr<DiskFileService> m_files;
  EvalViewPtr m_view;
  std::size_t m_edition = 0;
  QToolButton* m_asksStanding;
  QToolButton* m_asksMeetings;
  QToolButton* m_asksFrames;  // of plans that have time
  QComboBox* m_sort;          // of what is found over the frames
  QStackedWidget* m_limits;
  QLabel* m_head;
  QTableWidget* m_faults;
  StandingRule m_rule;
  float m_deeperThan = 0.02F;  // m
  StandingReport m_report;
  MeetingReport m_meetings;
  struct FramesOf {
    std::size_t edition = 0;
    Quality quality = Quality::Draft;
    bool operator==(const FramesOf&) const = default;
  };
  std::optional<FramesOf> m_framesOf;  // what is being gone through, or was
  std::shared_ptr<const OverFrames> m_overFrames;
  std::vector<PictureLayer> m_checked;  // what the layers of what is listed are
  Worker m_check;
};

}  // namespace arvesk
