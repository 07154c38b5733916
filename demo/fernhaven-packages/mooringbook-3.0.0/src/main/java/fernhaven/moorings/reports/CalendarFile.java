package fernhaven.moorings.reports;

import fernhaven.moorings.MooringBook;
import fernhaven.moorings.Stay;
import java.nio.charset.StandardCharsets;
import java.time.LocalDate;
import java.time.format.DateTimeFormatter;
import java.util.Locale;
import java.util.zip.CRC32;

/** The stays of a day as a calendar (RFC 5545). */
public final class CalendarFile {
  private static final DateTimeFormatter DAY = DateTimeFormatter.ofPattern("yyyyMMdd", Locale.ROOT);
  private final LocalDate day;

  public CalendarFile(LocalDate day) {
    this.day = day;
  }

  public byte[] bytes(MooringBook book) {
    StringBuilder text = new StringBuilder("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Fernhaven//Moorings//EN\r\n");
    for (Stay stay : book.stays())
      text.append("BEGIN:VEVENT\r\nUID:").append(id(stay)).append("\r\nDTSTART:").append(at(stay.from()))
          .append("\r\nDTEND:").append(at(stay.to())).append("\r\nSUMMARY:").append(escaped(stay.ship()))
          .append("\r\nLOCATION:").append(escaped(stay.berth())).append("\r\nEND:VEVENT\r\n");
    return text.append("END:VCALENDAR\r\n").toString().getBytes(StandardCharsets.UTF_8);
  }

  private String at(int minutes) {
    return DAY.format(day.plusDays(Math.floorDiv(minutes, 1440)))
        + String.format(Locale.ROOT, "T%02d%02d00", Math.floorMod(minutes, 1440) / 60, minutes % 60);
  }

  private static String id(Stay stay) {
    CRC32 sum = new CRC32();
    sum.update((stay.ship() + stay.berth() + stay.from()).getBytes(StandardCharsets.UTF_8));
    return Long.toHexString(sum.getValue()) + "@fernhaven.example";
  }

  private static String escaped(String text) {
    return text.replace("\\", "\\\\").replace(",", "\\,").replace(";", "\\;").replace("\n", "\\n");
  }
}
