// What a window without a plan shows in the place of Site: plans that were open lately, the demo, examples, and ways to
// begin with what one has.
#pragma once

#include <QImage>
#include <QWidget>

class QGridLayout;
class QLabel;
class QVBoxLayout;

namespace arvesk {

class StartPage : public QWidget {
  Q_OBJECT

 public:
  explicit StartPage(QWidget* parent = nullptr);
  /// Looks anew what was open lately.
  void refresh();

  /// Keeps a small picture of a plan for the next time; takes a while, for a worker.
  static void keepPicture(const QString& plan, const QImage& picture);
  /// Demo and examples; the pictures that they come with are `picture`s that the program made of them.
  static QStringList shippedPlans();
  static bool shipPicture(const QString& plan, const QImage& picture);

 Q_SIGNALS:
  void planWanted(const QString& path);
  void openWanted();
  void groundWanted();  // from a height image or a mesh
  void layoutWanted();  // from points of a table or the things of a scene

 protected:
  bool eventFilter(QObject* watched, QEvent* event) override;  // it fills what it lies on
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

 private:
  struct Shelf {
    QLabel* heading;
    QGridLayout* grid;
    std::vector<QWidget*> tiles;
  };
  Shelf addShelf(const QString& heading, const char* name);
  QWidget* tile(const QString& name, const QString& detail, const QString& plan, const char* objectName, int number);
  void arrange();

  QVBoxLayout* m_column;
  Shelf m_recent;
  Shelf m_examples;
  int m_across = 0;
};

}  // namespace arvesk
