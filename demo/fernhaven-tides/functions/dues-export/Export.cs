using System;
using System.Collections.Generic;
using System.IO;
using System.Linq;
using System.Threading.Tasks;

[assembly: System.Reflection.AssemblyVersion("1.0.0.0")]
[assembly: System.Runtime.Versioning.TargetFramework(".NETCoreApp,Version=v8.0")]

namespace Fernhaven.Dues
{
    public class Stay
    {
        public string Berth { get; set; }
        public double Metres { get; set; }
        public int Nights { get; set; }
    }

    public class Month
    {
        public string Name { get; set; }
        public List<Stay> Stays { get; set; }
    }

    public class MonthEvent
    {
        public string Id { get; set; }
        public Month Data { get; set; }
    }

    public class Line
    {
        public string Berth { get; set; }
        public string Due { get; set; }
    }

    public class Answer
    {
        public string Month { get; set; }
        public string Total { get; set; }
        public List<Line> Lines { get; set; }
    }

    /// <summary>What the berths of a month owe.</summary>
    public class Export
    {
        readonly string unit = Environment.GetEnvironmentVariable("DUES_UNIT") ?? "EUR";
        readonly Tariff tariff = new Tariff(Path.Combine(Path.GetDirectoryName(typeof(Export).Assembly.Location), "rates.txt"));

        public async Task<Answer> Run(MonthEvent monthEvent, IDictionary<string, object> context)
        {
            await Task.Delay(1);
            Month month = monthEvent.Data;
            var cents = month.Stays.Select(one => tariff.For(one.Metres, one.Nights)).ToList();
            Console.WriteLine(month.Stays.Count + " stays in " + month.Name);
            return new Answer
            {
                Month = month.Name,
                Total = Shown(cents.Sum()),
                Lines = month.Stays.Select((one, i) => new Line { Berth = one.Berth, Due = Shown(cents[i]) }).ToList(),
            };
        }

        string Shown(long cents)
        {
            return cents / 100 + "." + (cents % 100).ToString("00") + " " + unit;
        }
    }
}
