#pragma once
// Figures with their names, a row each, as rich text for a label.

#include <QColor>
#include <QString>
#include <initializer_list>

namespace thicket::app {

class FactTable {
public:
    /// padding  pixels above and below a row.
    explicit FactTable(int padding = 1) : m_padding(padding) {}

    struct Cell {
        QString html;
        QColor color{}; ///< not valid: that of text
    };
    /// A quiet name on the left and its value on the right, both plain text.
    void row(const QString& name, const QString& value);
    /// The first on the left, the others on the right; all of them on one line.
    void row(std::initializer_list<Cell> cells);
    /// One cell across.
    void below(const Cell& cell);

    [[nodiscard]] bool empty() const { return m_rows.isEmpty(); }
    [[nodiscard]] QString html() const;

private:
    int m_padding;
    QString m_rows;
};

} // namespace thicket::app
