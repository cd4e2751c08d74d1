#include "sets/contact_sheet.h"

#include "io/atomic_file.h"

#include <QCoreApplication>
#include <QFile>
#include <QFileInfo>
#include <QFont>
#include <QImage>
#include <QPainter>
#include <QPdfWriter>

namespace yolk::app {

void writeContactSheet(const QString &path, const std::vector<JobResult> &results, ExecContext &ctx)
{
    constexpr int kDpi = 200, kAcross = 2, kDown = 6;
    constexpr double kMargin = 14.0, kGap = 6.0, kWords = 5.0; // mm
    writeAtomically(QFile::encodeName(path).toStdString(), [&](const std::string &temporary) {
        QPdfWriter writer(QFile::decodeName(temporary.c_str()));
        writer.setResolution(kDpi);
        writer.setPageSize(QPageSize(QPageSize::A4));
        writer.setPageMargins(QMarginsF(kMargin, kMargin, kMargin, kMargin), QPageLayout::Millimeter);
        writer.setTitle(QCoreApplication::translate("ContactSheet", "Contact sheet"));
        QPainter painter;
        if (!painter.begin(&writer))
            throw OutputError(temporary, "cannot be written");
        const double unit = kDpi / 25.4, gap = kGap * unit, words = kWords * unit;
        QFont font = painter.font();
        font.setPointSizeF(7.5);
        painter.setFont(font);
        const QSizeF cell((writer.width() - gap * (kAcross - 1)) / kAcross,
                          (writer.height() - gap * (kDown - 1)) / kDown);
        const double pictureWidth = (cell.width() - 0.25 * gap) / 2.0;
        int at = 0;
        for (const JobResult &result : results) {
            ctx.throwIfStopped();
            if (result.before.empty() || result.thumbnail.empty())
                continue;
            if (at > 0 && at % (kAcross * kDown) == 0)
                writer.newPage();
            const int place = at++ % (kAcross * kDown);
            const QPointF corner(place % kAcross * (cell.width() + gap), place / kAcross * (cell.height() + gap));
            int side = 0;
            for (const std::string &file : {result.before, result.thumbnail}) {
                const QImage image(QFile::decodeName(file.c_str()));
                const QRectF room(corner.x() + side++ * (pictureWidth + 0.25 * gap), corner.y(), pictureWidth,
                                  cell.height() - words);
                if (image.isNull())
                    continue;
                const QSizeF size = QSizeF(image.size()).scaled(room.size(), Qt::KeepAspectRatio);
                painter.drawImage(
                    QRectF(QPointF(room.center().x() - size.width() / 2, room.bottom() - size.height()), size), image);
            }
            const QRectF line(corner.x(), corner.y() + cell.height() - words, cell.width(), words);
            const QString text = QStringLiteral("%1   %2")
                                     .arg(result.number)
                                     .arg(QFileInfo(QFile::decodeName(result.files.front().c_str())).fileName());
            painter.drawText(line, Qt::AlignLeft | Qt::AlignBottom,
                             painter.fontMetrics().elidedText(text, Qt::ElideMiddle, int(line.width())));
        }
        if (!painter.end())
            throw OutputError(temporary, "cannot be written");
    });
}

} // namespace yolk::app
