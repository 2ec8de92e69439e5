#include "app/parts/fact_table.h"

#include "app/look/look.h"

namespace thicket::app {
namespace {

QString colored(const QColor& color) {
    return color.isValid() ? QStringLiteral("color:%1; ").arg(color.name()) : QString();
}

} // namespace

void FactTable::row(const QString& name, const QString& value) {
    row({{name.toHtmlEscaped(), Look::now().quiet}, {value.toHtmlEscaped()}});
}

void FactTable::row(std::initializer_list<Cell> cells) {
    constexpr int kApart = 8; // pixels
    m_rows += QStringLiteral("<tr>");
    for (const Cell& cell : cells) {
        const bool first = &cell == cells.begin();
        const bool last = &cell + 1 == cells.end();
        // The same room above and below in each: else their lines do not stand at one height.
        m_rows += QStringLiteral("<td%1 style='%2padding:%3px %4px %3px 0'>%5</td>")
                      .arg(first ? QString() : QStringLiteral(" align='right'"), colored(cell.color))
                      .arg(m_padding)
                      .arg(last ? 0 : kApart)
                      .arg(cell.html);
    }
    m_rows += QStringLiteral("</tr>");
}

void FactTable::below(const Cell& cell) {
    m_rows += QStringLiteral("<tr><td colspan='2' style='%1'>%2</td></tr>").arg(colored(cell.color), cell.html);
}

QString FactTable::html() const {
    return QStringLiteral("<table cellspacing='0' width='100%'>%1</table>").arg(m_rows);
}

} // namespace thicket::app
