#pragma once
// A level as a card of figures: its colour, a name, what it costs, and two more lines. Click or Return chooses it.

#include <QImage>
#include <QVBoxLayout>
#include <QWidget>
#include <functional>

namespace thicket::app {

class FigureCard : public QWidget {
    Q_OBJECT
public:
    explicit FigureCard(int level, QWidget* parent = nullptr);
    struct Lines {
        QString name, cost;
        QString left, right;
        QString leftBelow, rightBelow;
        QImage picture; ///< none: no room is kept for it
    };
    void show(const Lines& lines, bool selected);
    [[nodiscard]] int level() const { return m_level; }
    QSize sizeHint() const override { return {240, 66}; }

signals:
    void picked(int level);
    void removeAsked(int level);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    int m_level;
    Lines m_lines;
    bool m_selected = false;
};

/// Makes as many cards in a column as there are levels; `made` is told of each new one.
void fitCards(QVBoxLayout* column, int count, const std::function<void(FigureCard*)>& made);
inline FigureCard* cardAt(QVBoxLayout* column, int level) {
    return static_cast<FigureCard*>(column->itemAt(level)->widget());
}

} // namespace thicket::app
