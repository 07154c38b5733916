[assembly: System.Reflection.AssemblyVersion("1.3.0.0")]
[assembly: System.Runtime.Versioning.TargetFramework(".NETStandard,Version=v2.0")]

namespace Fernhaven.Charts
{
    /// <summary>A harbour as text.</summary>
    public static class Chart
    {
        public static string Of(int berths)
        {
            return new string('|', berths);
        }
    }
}
