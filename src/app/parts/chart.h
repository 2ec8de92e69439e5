#pragma once
// What all charts share: axes in the product's look, with our own draggable things painted on top.

#include "appmodel/workbench.h"

#include <QLabel>
#include <functional>
#include <qcustomplot.h>

namespace thicket::app {

/// Ticks on a logarithmic axis at 1, 2 and 5, labelled by a function.
class LogTicker : public QCPAxisTicker {
public:
    explicit LogTicker(std::function<QString(double)> label, bool halves = true)
        : m_label(std::move(label)), m_halves(halves) {}

protected:
    QVector<double> createTickVector(double tickStep, const QCPRange& range) override;
    int getSubTickCount(double) override { return 0; }
    QString getTickLabel(double tick, const QLocale&, QChar, int) override { return m_label(tick); }

private:
    std::function<QString(double)> m_label;
    bool m_halves;
};

/// Ticks at round values, labelled by a function.
class PlainTicker : public QCPAxisTicker {
public:
    explicit PlainTicker(std::function<QString(double)> label, int count) : m_label(std::move(label)) {
        setTickCount(count);
    }

protected:
    int getSubTickCount(double) override { return 0; }
    QString getTickLabel(double tick, const QLocale&, QChar, int) override { return m_label(tick); }

private:
    std::function<QString(double)> m_label;
};

class Chart : public QCustomPlot {
    Q_OBJECT
public:
    explicit Chart(Workbench& bench, QWidget* parent = nullptr);

protected:
    void paintEvent(QPaintEvent* event) override;
    /// Drawn after the axes; coordinates are widget pixels.
    virtual void paintOverlay(QPainter& painter) = 0;
    void style(QCPAxisRect* rect, bool logX, bool logY);
    /// Runs `change` on the axes and replots.
    void refresh() { replot(QCustomPlot::rpQueuedReplot); }
    void drawTitle(QPainter& painter, const QString& title, const QString& aside, const QColor& asideColor) const;
    /// Words in the middle of a chart that has nothing to show yet.
    static void drawEmpty(QPainter& painter, const QRectF& area, const QString& text);
    /// A hatch over a region in which nothing is drawn.
    static void hatch(QPainter& painter, const QRectF& rect);

    Workbench& m_bench;
};

} // namespace thicket::app
