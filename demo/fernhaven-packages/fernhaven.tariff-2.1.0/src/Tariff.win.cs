using System;

[assembly: System.Reflection.AssemblyVersion("2.1.0.0")]
[assembly: System.Runtime.Versioning.TargetFramework(".NETStandard,Version=v2.0")]

namespace Fernhaven
{
    /// <summary>Rates stand in the registry there.</summary>
    public sealed class Tariff
    {
        public Tariff(string path)
        {
            throw new PlatformNotSupportedException(path);
        }

        public long For(double metres, int nights)
        {
            return 0;
        }
    }
}
