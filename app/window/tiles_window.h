// Tiles: sends the plan's tiles off, to processes of this machine or a batch engine, and follows them by what these
// leave in the folder. Whoever works goes on when the window or the program is closed; a later window takes them up.
#pragma once

#include "app/model/worker.h"
#include "core/deliver/tile_states.h"

#include <QDialog>

class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QSpinBox;
class QTimer;
class QTreeWidget;

namespace arvesk {

class TileMap;

class TilesWindow : public QDialog {
  Q_OBJECT

 public:
  /// `saved` saves the plan and gives its file, empty when it was not saved: processes read it from there.
  TilesWindow(const QString& file, std::function<QString()> saved, QWidget* parent = nullptr);
  /// What was last seen in the folder; null where no tiles were ever sent.
  std::shared_ptr<const TileStates> states() const { return m_states; }
  bool isUnderWay() const { return m_isUnderWay; }

 private:
  struct Seen {
    std::optional<TileStates> states;
    bool isUnderWay = false;
    QString words;  // what the process said went wrong
  };

  QLayout* makeForm(QPushButton* choose);
  void send();
  void stop();
  void look();
  void take(Seen seen);
  void listFailed();
  void showOptions();
  bool isSlurm() const;

  std::function<QString()> m_saved;
  QString m_plan;
  QLineEdit* m_folder;
  QDoubleSpinBox* m_size;
  QComboBox* m_format;
  QComboBox* m_on;
  QSpinBox* m_jobs;
  QLabel* m_jobsWords;
  QLineEdit* m_partition;
  QLabel* m_partitionWords;
  QPushButton* m_send;
  QPushButton* m_stop;
  QLabel* m_message;
  TileMap* m_map;
  QTreeWidget* m_failed;
  QTimer* m_timer;
  long m_process = 0;  // that was started here
  bool m_isUnderWay = false;
  std::shared_ptr<const TileStates> m_states;
  Worker m_worker;  // last, so that it ends first
};

}  // namespace arvesk
