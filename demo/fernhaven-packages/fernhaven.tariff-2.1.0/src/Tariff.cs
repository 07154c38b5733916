using System;
using System.Collections.Generic;
using System.IO;

[assembly: System.Reflection.AssemblyVersion("2.1.0.0")]
[assembly: System.Runtime.Versioning.TargetFramework(".NETStandard,Version=v2.0")]

namespace Fernhaven
{
    /// <summary>What a berth costs. Rates stand in a file, a line each: metres, and cents for a metre and night.</summary>
    public sealed class Tariff
    {
        readonly SortedDictionary<int, long> rates = new SortedDictionary<int, long>();

        public Tariff(string path)
        {
            foreach (string line in File.ReadAllLines(path))
            {
                string[] parts = line.Split(' ');
                if (parts.Length == 2 && !line.StartsWith("#", StringComparison.Ordinal)) rates[int.Parse(parts[0])] = long.Parse(parts[1]);
            }
        }

        /// <summary>In cents; the rate is that of the longest length that the boat has.</summary>
        public long For(double metres, int nights)
        {
            long rate = 0;
            foreach (var one in rates)
                if (one.Key <= metres) rate = one.Value;
            return (long)Math.Ceiling(metres) * nights * rate;
        }
    }
}
