#pragma once
// The path of five stages along the top, and the three gauges beside it.

#include "appmodel/workbench.h"

#include <QWidget>
#include <array>

namespace thicket::app {

QString stageName(Stage stage);

/// Five stops on a line. A stop is filled when its work is done, ringed when not; its caption says what is left.
class StagePath : public QWidget {
    Q_OBJECT
public:
    explicit StagePath(QWidget* parent = nullptr);
    void setStage(Stage stage);
    void setState(Stage stage, bool done, const QString& caption);
    [[nodiscard]] QRect stopRect(Stage stage) const;
    QSize sizeHint() const override { return {560, 52}; }

signals:
    void picked(Stage stage);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void leaveEvent(QEvent* event) override;

private:
    [[nodiscard]] int stopAt(const QPoint& p) const;
    Stage m_stage = Stage::Gather;
    int m_hover = -1;
    std::array<bool, 5> m_done{};
    std::array<QString, 5> m_caption;
};

/// A number against its budget: a bar with a mark at the limit.
class Gauge : public QWidget {
    Q_OBJECT
public:
    Gauge(const QString& unit, QWidget* parent = nullptr);
    /// `text` is "1.18 M of 1.50 M"; share is value / budget.
    void setValue(const QString& text, double share, const QString& exact);
    void setUnit(const QString& unit);
    [[nodiscard]] QString text() const { return m_text; }
    [[nodiscard]] quint64 value() const { return m_value; }
    void setExact(quint64 value) { m_value = value; }
    QSize sizeHint() const override { return {114, 52}; }

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    QString m_text;
    QString m_unit;
    double m_share = 0;
    quint64 m_value = 0;
};

} // namespace thicket::app
