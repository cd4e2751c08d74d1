#include "base/errors.h"
#include "base/hash.h"
#include "base/text.h"
#include "support/synthetic.h"

#include <QTemporaryDir>
#include <QTest>

using namespace yolk;

class TestHash : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void emptyInputIsThePublishedValue()
    {
        // XXH3 128 bit of no bytes, seed 0: the xxHash specification's sanity value (from memory).
        QCOMPARE(Hasher().finish().hex(), std::string("99aa06d3014798d86001c324468d497f"));
    }
    void boundariesCount()
    {
        QVERIFY(Hasher().text("ab").text("c").finish() != Hasher().text("a").text("bc").finish());
        QVERIFY(Hasher().value(1.0).finish() != Hasher().value(2.0).finish());
        QCOMPARE(Hasher().text("a").value(3).finish().hex(), Hasher().text("a").value(3).finish().hex());
    }
    void fileIsItsBytes()
    {
        const QTemporaryDir dir;
        const QString path = dir.filePath(QStringLiteral("x"));
        const QByteArray bytes(3'000'000, 'y');
        test::writeBytes(path, bytes);
        QCOMPARE(hashFile(path.toStdString()).hex(),
                 Hasher().bytes(std::as_bytes(std::span(bytes.data(), size_t(bytes.size())))).finish().hex());
        QVERIFY_THROWS_EXCEPTION(InputError, hashFile(dir.filePath(QStringLiteral("none")).toStdString()));
    }
    void shortestTextReadsBack()
    {
        for (double v : {0.1, -3.0, 1e-7, 1.0 / 3.0, 12345678.9})
            QCOMPARE(std::stod(shortestText(v)), v);
        QCOMPARE(shortestText(0.1), std::string("0.1"));
    }
};

QTEST_GUILESS_MAIN(TestHash)
#include "tst_hash.moc"
